import type { Scene } from '../api/client';

export type Ring = number[][];

/** Places spread evenly over polygons, by which shares of them are told. */
export function spread(polygons: Ring[][], across = 48): [number, number][] {
    const all = polygons.flat(2);
    if (!all.length) return [];
    const xs = all.map((place) => place[0]!);
    const ys = all.map((place) => place[1]!);
    const [west, south, east, north] = [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
    const places: [number, number][] = [];
    for (let j = 0; j < across; j++) {
        for (let i = 0; i < across; i++) {
            const place: [number, number] = [west + ((i + 0.5) / across) * (east - west), south + ((j + 0.5) / across) * (north - south)];
            if (polygons.some((rings) => rings.filter((ring) => inside(ring, place)).length % 2 === 1)) places.push(place);
        }
    }
    return places;
}

export function inside(ring: Ring, [x, y]: [number, number]): boolean {
    let within = false;
    for (let i = 1; i < ring.length; i++) {
        const [ax, ay] = ring[i - 1] as [number, number];
        const [bx, by] = ring[i] as [number, number];
        if (ay > y !== by > y && x < ax + ((bx - ax) * (y - ay)) / (by - ay)) within = !within;
    }
    return within;
}

/** Share of the places that at least one of the scenes saw. */
export function share(places: [number, number][], scenes: Scene[]): number {
    if (!places.length) return 0;
    return places.filter((place) => scenes.some((scene) => scene.rings.some((ring) => inside(ring, place)))).length / places.length;
}
