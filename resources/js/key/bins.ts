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
    const yes = new Float64Array(bins);
    const no = new Float64Array(bins);
    const factor = bins / Math.max(high - low, 1e-300);
    for (let i = 0; i < answers.length; i++) {
        const answer = answers[i]!;
        if (answer < NO) continue;
        const at = Math.min(bins - 1, ((values[i]! - low) * factor) | 0);
        if (answer === YES) yes[at]! += pixels[i]!;
        else no[at]! += pixels[i]!;
    }
    return { ends: [low, high], counts: Array.from(yes, (some, i) => [some, no[i]!]) };
}
