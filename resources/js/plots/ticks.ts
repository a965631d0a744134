/** Round values from low to high, about as many as asked for. */
export function ticks(low: number, high: number, count: number): number[] {
    const span = high - low;
    if (!(span > 0)) return [low];
    const rough = span / count;
    const power = 10 ** Math.floor(Math.log10(rough));
    const step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough) ?? power * 10;
    const out: number[] = [];
    for (let value = Math.ceil(low / step) * step; value <= high + step * 1e-9; value += step) out.push(Number(value.toPrecision(12)));
    return out;
}
