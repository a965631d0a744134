import type { Raster } from '../api/client';
import { rampTable, word } from './ramps';
import { hue } from './segments/paintSegments';

export type Samples = Uint8Array | Int8Array | Uint16Array | Int16Array | Uint32Array | Int32Array | Float32Array | Float64Array;

/** How the values of a tile become colours. Each is a pure function of values and style: nothing is asked of the server. */
export type Style =
    | { kind: 'composite'; bands: [number, number, number]; limits: [number, number][] }
    | { kind: 'ramp'; band: number; ramp: string; limits: [number, number] }
    | { kind: 'classes'; colours: Record<number, string> }
    | { kind: 'segments' }
    | { kind: 'same'; other: number; codes: Record<number, number> }
    | { kind: 'pair'; other: number; from: number[]; to: number[] }
    | { kind: 'dates'; other: number; band: number; limits: [number, number]; before: [number, number] }
    | { kind: 'sides'; band: number; limits: number[]; colours: string[] };

export const TILE = 256;

export const arrays = {
    UInt8: Uint8Array,
    Int8: Int8Array,
    UInt16: Uint16Array,
    Int16: Int16Array,
    UInt32: Uint32Array,
    Int32: Int32Array,
    Float32: Float32Array,
    Float64: Float64Array,
} as const;

export function bandsOf(style: Style): number[] {
    if (style.kind === 'composite') return style.bands;
    return [style.kind === 'ramp' || style.kind === 'sides' || style.kind === 'dates' ? style.band : 1];
}

/** @param other  the codes of another map, where two are compared */
export function paint(samples: Samples[], style: Style, raster: Raster, other?: Samples): ImageData {
    const image = new ImageData(TILE, TILE);
    const out = new Uint32Array(image.data.buffer);
    const nodata = raster.nodata ?? NaN;
    switch (style.kind) {
        case 'composite':
            composite(out, samples, style.limits, nodata);
            break;
        case 'ramp':
            ramp(out, samples[0]!, style.limits, rampTable(style.ramp), nodata);
            break;
        case 'classes':
            classes(out, samples[0]!, style.colours);
            break;
        case 'same':
            if (other) same(out, samples[0]!, other, style.codes);
            break;
        case 'pair':
            if (other) pair(out, samples[0]!, other, style.from, style.to);
            break;
        case 'dates':
            if (other) dates(out, samples[0]!, other, style.limits, style.before, nodata);
            break;
        case 'segments':
            segments(out, samples[0]!);
            break;
        case 'sides':
            sides(
                out,
                samples[0]!,
                style.limits,
                style.colours.map((colour) => (colour === 'transparent' ? 0 : word(colour))),
                nodata,
            );
    }
    return image;
}

function composite(out: Uint32Array, [r, g, b]: Samples[], limits: [number, number][], nodata: number): void {
    const [r0, g0, b0] = limits.map(([low]) => low) as [number, number, number];
    const [rf, gf, bf] = limits.map(([low, high]) => 255.999 / Math.max(high - low, 1e-12)) as [number, number, number];
    for (let i = 0; i < out.length; i++) {
        const red = r![i]!,
            green = g![i]!,
            blue = b![i]!;
        if (red === nodata || green === nodata || blue === nodata || red !== red || green !== green || blue !== blue) continue;
        const x = (red - r0) * rf,
            y = (green - g0) * gf,
            z = (blue - b0) * bf;
        out[i] = (0xff000000 | ((z < 0 ? 0 : z > 255 ? 255 : z) << 16) | ((y < 0 ? 0 : y > 255 ? 255 : y) << 8) | (x < 0 ? 0 : x > 255 ? 255 : x)) >>> 0;
    }
}

function ramp(out: Uint32Array, values: Samples, [low, high]: [number, number], table: Uint32Array, nodata: number): void {
    const factor = 255.999 / Math.max(high - low, 1e-12);
    for (let i = 0; i < out.length; i++) {
        const value = values[i]!;
        if (value === nodata || value !== value) continue;
        const t = (value - low) * factor;
        out[i] = table[t < 0 ? 0 : t > 255 ? 255 : t | 0]!;
    }
}

function classes(out: Uint32Array, codes: Samples, colours: Record<number, string>): void {
    const table = new Uint32Array(65536);
    for (const [code, colour] of Object.entries(colours)) table[Number(code)] = word(colour);
    for (let i = 0; i < out.length; i++) out[i] = table[codes[i]!]!;
}

/** What two maps say alike is dimmed. */
function same(out: Uint32Array, codes: Samples, others: Samples, alike: Record<number, number>): void {
    const table = new Int32Array(65536).fill(-1);
    for (const [code, other] of Object.entries(alike)) table[Number(code)] = other;
    const dim = word('#2a2a2a', 170);
    for (let i = 0; i < out.length; i++) if (table[codes[i]!] === others[i]!) out[i] = dim;
}

/** All but what is one class on the one map and another on the other is dimmed. */
function pair(out: Uint32Array, codes: Samples, others: Samples, from: number[], to: number[]): void {
    const dim = word('#2a2a2a', 205);
    const [one, other] = [new Set(from), new Set(to)];
    for (let i = 0; i < out.length; i++) if (!one.has(codes[i]!) || !other.has(others[i]!)) out[i] = dim;
}

/** A band of two dates, the earlier as red and the later as green and blue: grey where it is the same. */
function dates(out: Uint32Array, after: Samples, before: Samples, [low, high]: [number, number], [from, to]: [number, number], nodata: number): void {
    const [factor, other] = [255.999 / Math.max(high - low, 1e-12), 255.999 / Math.max(to - from, 1e-12)];
    for (let i = 0; i < out.length; i++) {
        const [one, two] = [before[i]!, after[i]!];
        if (one === nodata || two === nodata || one !== one || two !== two) continue;
        const red = (one - from) * other;
        const cyan = (two - low) * factor;
        const c = cyan < 0 ? 0 : cyan > 255 ? 255 : cyan | 0;
        out[i] = (0xff000000 | (c << 16) | (c << 8) | (red < 0 ? 0 : red > 255 ? 255 : red)) >>> 0;
    }
}

/** Segments in scattered hues, for small pictures. */
function segments(out: Uint32Array, numbers: Samples): void {
    for (let i = 0; i < out.length; i++) if (numbers[i]) out[i] = hue(numbers[i]!);
}

function sides(out: Uint32Array, values: Samples, limits: number[], colours: number[], nodata: number): void {
    for (let i = 0; i < out.length; i++) {
        const value = values[i]!;
        if (value === nodata || value !== value) continue;
        let k = 0;
        while (k < limits.length && value >= limits[k]!) k++;
        out[i] = colours[k]!;
    }
}
