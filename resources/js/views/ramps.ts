import { rgb } from 'd3-color';
import {
    interpolateBrBG,
    interpolateCividis,
    interpolateGreys,
    interpolateMagma,
    interpolatePuOr,
    interpolateSinebow,
    interpolateViridis,
    interpolateYlGnBu,
} from 'd3-scale-chromatic';
import type { Raster } from '../api/client';

/** Ramps from published palettes, by plain names. */
export const ramps: Record<string, (t: number) => string> = {
    grey: (t) => interpolateGreys(1 - t),
    viridis: interpolateViridis,
    cividis: interpolateCividis,
    magma: interpolateMagma,
    'brown to teal': interpolateBrBG,
    'orange to purple': interpolatePuOr,
    'yellow to blue': interpolateYlGnBu,
    cyclic: interpolateSinebow,
};

type Band = Raster['bands'][number];

/** The ramp of a band by what its values are counted from: about a middle, round a circle, from 0 to 1. */
export function rampFor(band: Band | undefined): string {
    const fitting = { signed: 'brown to teal', ratio: 'brown to teal', cyclic: 'cyclic', probability: 'viridis' };
    return band?.scale ? fitting[band.scale] : 'grey';
}

/** Ends of the ramp that follow from what the band is, given those of the stretch: as far on both sides of the middle, or the whole circle. */
export function endsFor(band: Band | undefined, [low, high]: [number, number]): [number, number] {
    switch (band?.scale) {
        case 'signed':
        case 'ratio': {
            const middle = band.scale === 'ratio' ? 1 : 0;
            const reach = Math.max(Math.abs(low - middle), Math.abs(high - middle));
            return [middle - reach, middle + reach];
        }
        case 'cyclic':
            return band.unit === 'rad' ? [-Math.PI, Math.PI] : [0, 360];
        case 'probability':
            return [0, 1];
        default:
            return [low, high];
    }
}

const tables = new Map<string, Uint32Array>();

/** The same in words, and whether the stretch has no say in it. */
export function scaleText(band: Band | undefined): { text: string; isFixed: boolean } {
    switch (band?.scale) {
        case 'signed':
            return { text: 'about 0', isFixed: false };
        case 'ratio':
            return { text: 'about 1', isFixed: false };
        case 'cyclic':
            return { text: band.unit === 'rad' ? '−π to π' : '0–360°', isFixed: true };
        case 'probability':
            return { text: '0–1', isFixed: true };
        default:
            return { text: '', isFixed: false };
    }
}

/** 256 colours of a ramp as canvas words (little-endian RGBA). */
export function rampTable(name: string): Uint32Array {
    let table = tables.get(name);
    if (!table) {
        const ramp = ramps[name] ?? ramps.grey!;
        table = Uint32Array.from({ length: 256 }, (_, i) => word(ramp(i / 255)));
        tables.set(name, table);
    }
    return table;
}

/** A ramp as a CSS gradient, for swatches. */
export function rampGradient(name: string): string {
    const ramp = ramps[name] ?? ramps.grey!;
    return `linear-gradient(90deg, ${Array.from({ length: 9 }, (_, i) => ramp(i / 8)).join(', ')})`;
}

export function word(colour: string, alpha = 255): number {
    const { r, g, b } = rgb(colour);
    return ((alpha << 24) | (b << 16) | (g << 8) | r) >>> 0;
}
