import Projection from 'ol/proj/Projection';
import { getDistance } from 'ol/sphere';
import proj4 from 'proj4';

export type Place = [number, number];

/** Longitude and latitude of map coordinates of a CRS as the server defines it; null where it knows none. */
export function toGeographic(definition: string | null, [x, y]: Place): Place | null {
    return definition === null ? null : (proj4(definition, 'WGS84', [x, y]) as Place);
}

/** Metres on the ground of a length along a row at a place, whatever the unit of the map; the length itself where its CRS is not known. */
export function onGround(definition: string | null, [x, y]: Place, length: number): number {
    const [from, to] = [toGeographic(definition, [x - length / 2, y]), toGeographic(definition, [x + length / 2, y])];
    const metres = from && to ? getDistance(from, to) : NaN;
    return metres > 0 && Number.isFinite(metres) ? metres : length;
}

/** Views work in the map coordinates of the study, whatever they are. */
export const plane = new Projection({ code: 'study', units: 'm', global: false });

export function formatDegrees([longitude, latitude]: Place): string {
    return `${latitude.toFixed(5)}°, ${longitude.toFixed(5)}°`;
}

/** Map coordinates with thin spaces between thousands. */
export function formatMetres(value: number): string {
    return Math.round(value)
        .toString()
        .replace(/\B(?=(\d{3})+$)/g, ' ');
}

/** The corner of a pixel that lies nearest to a place. */
export function pixelCorner({ transform }: { transform: number[] }, [x, y]: Place): Place {
    const [x0, x1, x2, y0, y1, y2] = transform as [number, number, number, number, number, number];
    const determinant = x1 * y2 - x2 * y1;
    const column = Math.round((y2 * (x - x0) - x2 * (y - y0)) / determinant);
    const row = Math.round((x1 * (y - y0) - y1 * (x - x0)) / determinant);
    return [x0 + x1 * column + x2 * row, y0 + y1 * column + y2 * row];
}
