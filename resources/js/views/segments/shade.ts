import { rampTable } from '../ramps';

/** Which side of a limit counts as beyond. */
export type BeyondSide = 'above' | 'below';

export const isBeyond = (value: number, limit: number, side: BeyondSide): boolean => (side === 'above' ? value >= limit : value < limit);

/** How much is left of what lies on the other side of a limit. */
const FADED = 60;

/**
 * What each segment is painted with, by its number. Those on the other side of a limit fade; those without a value have no colour.
 *
 * @param numbers  of the segments, one for each value
 */
export function coloursBy(
    numbers: Float64Array,
    values: Float64Array,
    { ramp, limits, limit, side }: { ramp: string; limits: [number, number]; limit: number | null; side: BeyondSide },
): Uint32Array {
    const table = rampTable(ramp);
    const colours = new Uint32Array((numbers[numbers.length - 1] ?? 0) + 1);
    const factor = 255.999 / Math.max(limits[1] - limits[0], 1e-12);
    const fades = limit !== null;
    const isAbove = side === 'above';
    for (let i = 0; i < values.length; i++) {
        const value = values[i]!;
        if (value !== value) continue;
        const t = (value - limits[0]) * factor;
        const colour = table[t < 0 ? 0 : t > 255 ? 255 : t | 0]!;
        colours[numbers[i]!] = fades && value >= limit !== isAbove ? ((colour & 0xffffff) | (FADED << 24)) >>> 0 : colour;
    }
    return colours;
}

/** Values below which the given per cent of the segments lie. */
export function range(values: Float64Array, clip: [number, number]): [number, number] {
    const sorted = values.filter((value) => Number.isFinite(value)).sort();
    if (!sorted.length) return [0, 1];
    const at = (percent: number) => sorted[Math.min(sorted.length - 1, Math.round(((sorted.length - 1) * percent) / 100))]!;
    const [low, high] = clip.map(at) as [number, number];
    return high > low ? [low, high] : [low, low + Math.max(1e-9, Math.abs(low) * 1e-6)];
}

/** How many segments, or how much of their area, in each bin from one value to another; what lies outside falls into the first and the last. */
export function binned(values: Float64Array, weights: Float64Array | null, [low, high]: [number, number], bins: number): number[] {
    const counts = new Array<number>(bins).fill(0);
    const factor = bins / Math.max(high - low, 1e-300);
    for (let i = 0; i < values.length; i++) {
        const value = values[i]!;
        if (Number.isFinite(value)) counts[Math.max(0, Math.min(bins - 1, Math.floor((value - low) * factor)))]! += weights ? weights[i]! : 1;
    }
    return counts;
}

/** How many segments lie beyond a limit, and what they weigh together. */
export function beyond(values: Float64Array, weights: Float64Array | null, limit: number, side: BeyondSide): { segments: number; weight: number } {
    let [segments, weight] = [0, 0];
    for (let i = 0; i < values.length; i++) {
        if (values[i] === values[i] && isBeyond(values[i]!, limit, side)) {
            segments++;
            weight += weights ? weights[i]! : 0;
        }
    }
    return { segments, weight };
}

/** The limit that parts values best: greatest variance between the sides (Otsu 1979), over counts in bins. */
export function bestSplit(counts: number[], [low, high]: [number, number]): number | null {
    const width = (high - low) / counts.length;
    const all = counts.reduce((sum, count) => sum + count, 0);
    const total = counts.reduce((sum, count, i) => sum + count * (i + 0.5), 0);
    let [below, sum, best, at] = [0, 0, 0, -1];
    for (let i = 0; i < counts.length - 1; i++) {
        below += counts[i]!;
        sum += counts[i]! * (i + 0.5);
        if (!below || below === all) continue;
        const between = (total * (below / all) - sum) ** 2 / (below * (1 - below / all));
        if (between > best) [best, at] = [between, i];
    }
    return at < 0 ? null : low + (at + 1) * width;
}
