import Projection from 'ol/proj/Projection';
import proj4 from 'proj4';

export type Place = [number, number];

/** Longitude and latitude of map coordinates of a CRS as the server defines it; null where it knows none. */
export function toGeographic(definition: string | null, [x, y]: Place): Place | null {
    return definition === null ? null : (proj4(definition, 'WGS84', [x, y]) as Place);
}

/** Views work in the map coordinates of the study, whatever they are. */
export const plane = new Projection({ code: 'study', units: 'm', global: false });

export function formatDegrees([longitude, latitude]: Place): string {
    return `${latitude.toFixed(5)}°, ${longitude.toFixed(5)}°`;
}

/** Map coordinates with thin spaces between thousands. */
export function formatMetres(value: number): string {
    return Math.round(value).toString().replace(/\B(?=(\d{3})+$)/g, ' ');
}
