import type { Place } from '../views/geo';

/** A geometry as GeoJSON has it: point, line or polygon. */
export interface Plain {
    type: string;
    coordinates: unknown;
}

export interface Corner {
    /** Where in the coordinates: nothing for a point, place of a line, ring and place of a polygon. */
    path: number[];
    place: Place;
}

/** All corners, those that close a ring told once. */
export function corners(geometry: Plain): Corner[] {
    if (geometry.type === 'Point') return [{ path: [], place: geometry.coordinates as Place }];
    if (geometry.type === 'LineString') return (geometry.coordinates as Place[]).map((place, i) => ({ path: [i], place }));
    if (geometry.type === 'Polygon')
        return (geometry.coordinates as Place[][]).flatMap((ring, r) => ring.slice(0, -1).map((place, i) => ({ path: [r, i], place })));
    return [];
}

/** The corner nearest to a place, within a distance. */
export function nearest(geometry: Plain, place: Place, within: number): Corner | null {
    let best: Corner | null = null;
    let least = within;
    for (const corner of corners(geometry)) {
        const distance = Math.hypot(corner.place[0] - place[0], corner.place[1] - place[1]);
        if (distance <= least) [best, least] = [corner, distance];
    }
    return best;
}

/** The geometry with one corner elsewhere. */
export function moved(geometry: Plain, path: number[], place: Place): Plain {
    if (!path.length) return { ...geometry, coordinates: place };
    if (path.length === 1) return { ...geometry, coordinates: (geometry.coordinates as Place[]).map((old, i) => (i === path[0] ? place : old)) };
    return {
        ...geometry,
        coordinates: (geometry.coordinates as Place[][]).map((ring, r) =>
            r === path[0] ? closed(ring.slice(0, -1).map((old, i) => (i === path[1] ? place : old))) : ring,
        ),
    };
}

/** The geometry without one corner; null where too little would be left. */
export function without(geometry: Plain, path: number[]): Plain | null {
    if (!path.length) return null;
    if (path.length === 1) {
        const line = (geometry.coordinates as Place[]).filter((_, i) => i !== path[0]);
        return line.length < 2 ? null : { ...geometry, coordinates: line };
    }
    const rings = geometry.coordinates as Place[][];
    const ring = rings[path[0]!]!.slice(0, -1).filter((_, i) => i !== path[1]);
    return ring.length < 3 ? null : { ...geometry, coordinates: rings.map((old, r) => (r === path[0] ? closed(ring) : old)) };
}

/** The box between two opposite corners. */
export function box([ax, ay]: Place, [bx, by]: Place): Place[] {
    return closed([
        [ax, ay],
        [bx, ay],
        [bx, by],
        [ax, by],
    ]);
}

const closed = (ring: Place[]): Place[] => [...ring, ring[0]!];
