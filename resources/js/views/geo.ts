import Projection from 'ol/proj/Projection';
import proj4 from 'proj4';

export type Place = [number, number];

/** Longitude and latitude of map coordinates; null for a CRS that is not known here. */
export function toGeographic(epsg: number | null, [x, y]: Place): Place | null {
    const definition = define(epsg);
    return definition === null ? null : (proj4(definition, 'WGS84', [x, y]) as Place);
}

function define(epsg: number | null): string | null {
    if (epsg === 4326 || epsg === 3857) return `EPSG:${epsg}`;
    const zone = epsg === null ? 0 : epsg % 100;
    const family = epsg === null ? 0 : Math.floor(epsg / 100);
    if ((family === 326 || family === 327) && zone >= 1 && zone <= 60) {
        return `+proj=utm +zone=${zone} ${family === 327 ? '+south' : ''} +datum=WGS84 +units=m +no_defs`;
    }
    return null;
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
