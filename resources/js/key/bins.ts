import { NO, YES } from './sort';

/** Pixels in bins of one width over what reaches a couplet: those that answer yes, and no. */
export function binned(
    values: ArrayLike<number>,
    pixels: ArrayLike<number>,
    answers: Int8Array,
    bins: number,
): { ends: [number, number]; counts: [yes: number, no: number][] } | null {
    let [low, high] = [Infinity, -Infinity];
    for (let i = 0; i < answers.length; i++) {
        if (answers[i]! < NO) continue;
        const value = values[i]!;
        if (value < low) low = value;
        if (value > high) high = value;
    }
    if (high < low) return null;
    const counts = Array.from({ length: bins }, (): [number, number] => [0, 0]);
    const factor = bins / Math.max(high - low, 1e-300);
    for (let i = 0; i < answers.length; i++) {
        if (answers[i]! < NO) continue;
        counts[Math.min(bins - 1, Math.floor((values[i]! - low) * factor))]![answers[i] === YES ? 0 : 1] += pixels[i]!;
    }
    return { ends: [low, high], counts };
}
