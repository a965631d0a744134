import type { Histogram } from '../api/client';
import { percentiles } from '../views/look';

export type Counted = 'values' | 'deviations' | 'percentiles';

/** What limits stand on: the values' histogram, and what one deviation from the middle is. */
export interface Ground {
    data: Pick<Histogram, 'minimum' | 'maximum' | 'counts' | 'pixels'>;
    middle: number;
    deviation: number;
}

/** Middle and deviation as a histogram tells them, to a bin. */
export function spreadOf(data: Ground['data'], isRobust: boolean): { middle: number; deviation: number } {
    const width = (data.maximum - data.minimum) / data.counts.length;
    const centre = (bin: number) => data.minimum + (bin + 0.5) * width;
    const all = Math.max(1, data.pixels);
    if (!isRobust) {
        const mean = data.counts.reduce((sum, count, bin) => sum + count * centre(bin), 0) / all;
        return { middle: mean, deviation: Math.sqrt(data.counts.reduce((sum, count, bin) => sum + count * (centre(bin) - mean) ** 2, 0) / all) };
    }
    const [middle] = percentiles(data as Histogram, [50, 100]);
    const away = data.counts.map((count, bin) => ({ count, apart: Math.abs(centre(bin) - middle) })).sort((a, b) => a.apart - b.apart);
    let sum = 0;
    for (const { count, apart } of away) {
        sum += count;
        if (sum >= all / 2) return { middle, deviation: 1.4826 * apart };
    }
    return { middle, deviation: 0 };
}

/** Part of the pixels that lie below a value. */
export function shareBelow(data: Ground['data'], value: number): number {
    const width = (data.maximum - data.minimum) / data.counts.length || 1;
    const at = (value - data.minimum) / width;
    const sum = data.counts.reduce((below, count, bin) => below + count * Math.min(1, Math.max(0, at - bin)), 0);
    return sum / Math.max(1, data.pixels);
}

/** Where a limit lies among the values. */
export function toValue(ground: Ground, counted: Counted, limit: number): number {
    if (counted === 'deviations') return ground.middle + limit * ground.deviation;
    if (counted === 'percentiles') return limit >= 100 ? ground.data.maximum : percentiles(ground.data as Histogram, [Math.max(0, limit), 100])[0];
    return limit;
}

/** What a value is as a limit. */
export function toLimit(ground: Ground, counted: Counted, value: number): number {
    if (counted === 'deviations') return ground.deviation > 0 ? (value - ground.middle) / ground.deviation : 0;
    if (counted === 'percentiles') return 100 * shareBelow(ground.data, value);
    return value;
}

/** What limits begin with, where none are told. */
export function usualLimits(ground: Ground | null, counted: Counted, isRobust: boolean, both: boolean): { below?: number; above: number } {
    const far = isRobust ? 3.5 : 2;
    const limits = {
        deviations: [-far, far],
        percentiles: both ? [2.5, 97.5] : [0, 95],
        values: [(ground?.middle ?? 0) - far * (ground?.deviation ?? 0), (ground?.middle ?? 0) + far * (ground?.deviation ?? 0)],
    }[counted] as [number, number];
    return both ? { below: limits[0], above: limits[1] } : { above: limits[1] };
}
