/** The probability of a greater chi-square, of whole degrees of freedom (Abramowitz & Stegun 1964, 26.4.4 and 26.4.5). */
export function chiSquareAbove(x: number, freedom: number): number {
    if (!(x > 0)) return 1;
    const isOdd = freedom % 2 === 1;
    let term = isOdd ? Math.sqrt((2 * x) / Math.PI) * Math.exp(-x / 2) : Math.exp(-x / 2);
    let sum = isOdd ? erfc(Math.sqrt(x / 2)) : term;
    for (let k = isOdd ? 3 : 2; k <= freedom - (isOdd ? 0 : 1); k += 2) {
        if (isOdd) {
            sum += term;
            term *= x / k;
        } else {
            term *= x / k;
            sum += term;
        }
    }
    return Math.min(1, sum);
}

/** The chi-square that is passed with a probability. */
export function chiSquareLimit(probability: number, freedom: number): number {
    if (probability >= 1) return 0;
    let [low, high] = [0, 1];
    while (chiSquareAbove(high, freedom) > Math.max(probability, 1e-300) && high < 1e4) [low, high] = [high, 2 * high];
    for (let turn = 0; turn < 100; turn++) {
        const middle = (low + high) / 2;
        if (chiSquareAbove(middle, freedom) > probability) low = middle;
        else high = middle;
    }
    return (low + high) / 2;
}

/** Numerical Recipes' fraction, right to 1.2e-7 of itself: more than a limit on a plot needs. */
function erfc(x: number): number {
    const t = 1 / (1 + x / 2);
    const series = [-1.26551223, 1.00002368, 0.37409196, 0.09678418, -0.18628806, 0.27886807, -1.13520398, 1.48851587, -0.82215223, 0.17087277];
    return t * Math.exp(-x * x + series.reduceRight((sum, one) => sum * t + one, 0));
}
