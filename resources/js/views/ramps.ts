import { rgb } from 'd3-color';
import { interpolateBrBG, interpolateCividis, interpolateGreys, interpolateMagma, interpolateViridis, interpolateYlGnBu } from 'd3-scale-chromatic';

/** Ramps from published palettes, by plain names. */
export const ramps: Record<string, (t: number) => string> = {
    grey: (t) => interpolateGreys(1 - t),
    viridis: interpolateViridis,
    cividis: interpolateCividis,
    magma: interpolateMagma,
    'brown to teal': interpolateBrBG,
    'yellow to blue': interpolateYlGnBu,
};

const tables = new Map<string, Uint32Array>();

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
