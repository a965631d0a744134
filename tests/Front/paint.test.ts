import { beforeAll, expect, test } from 'vitest';
import type { Raster } from '../../resources/js/api/client';
import { bandsOf, paint, TILE, type Samples, type Style } from '../../resources/js/views/paint';
import { rampTable, word } from '../../resources/js/views/ramps';

beforeAll(() => {
    // a browser has it; here only its bytes matter
    globalThis.ImageData = class {
        data: Uint8ClampedArray;
        constructor(width: number, height: number) {
            this.data = new Uint8ClampedArray(4 * width * height);
        }
    } as unknown as typeof ImageData;
});

const raster = (nodata: number | null) => ({ nodata }) as Raster;
/** A tile whose first pixels have some values, all others the first. */
function tile<T extends Samples>(type: { new (length: number): T }, ...values: number[]): T {
    const samples = new type(TILE * TILE);
    samples.fill(values[0]!);
    values.forEach((value, i) => (samples[i] = value));
    return samples;
}
function pixels(samples: Samples[], style: Style, nodata: number | null, count: number): number[][] {
    const { data } = paint(samples, style, raster(nodata));
    return Array.from({ length: count }, (_, i) => [...data.slice(4 * i, 4 * i + 4)]);
}

test('a composite stretches each band between its limits, and shows nothing where one of them has no value', () => {
    const red = tile(Uint16Array, 100, 200, 300, 50, 0);
    const same = tile(Uint16Array, 200, 200, 200, 200, 200);
    const shown = pixels(
        [red, same, same],
        {
            kind: 'composite',
            bands: [3, 2, 1],
            limits: [
                [100, 300],
                [100, 300],
                [100, 300],
            ],
        },
        0,
        5,
    );
    expect(shown).toEqual([
        [0, 127, 127, 255],
        [127, 127, 127, 255],
        [255, 127, 127, 255],
        [0, 127, 127, 255],
        [0, 0, 0, 0],
    ]);
});

test('a ramp goes from its first colour at the lower limit to its last at the upper, and on beyond both', () => {
    const shown = pixels([tile(Float32Array, -1, 0, 0.5, 1, 9, NaN)], { kind: 'ramp', band: 1, ramp: 'grey', limits: [0, 1] }, NaN, 6);
    const table = rampTable('grey');
    const colour = (i: number) => [table[i]! & 255, (table[i]! >> 8) & 255, (table[i]! >> 16) & 255, 255];
    expect(shown).toEqual([colour(0), colour(0), colour(127), colour(255), colour(255), [0, 0, 0, 0]]);
    expect(table[0]! & 255).toBeLessThan(table[255]! & 255);
});

test('limits that fall together do not divide by nothing', () => {
    expect(pixels([tile(Float32Array, 3, 4)], { kind: 'ramp', band: 1, ramp: 'viridis', limits: [3, 3] }, null, 2).every((one) => one[3] === 255)).toBe(true);
});

test('classes have the colours of the legend, and codes without one are clear', () => {
    expect(pixels([tile(Uint8Array, 1, 2, 255)], { kind: 'classes', colours: { 1: '#ff0000', 2: '#0000ff' } }, 255, 3)).toEqual([
        [255, 0, 0, 255],
        [0, 0, 255, 255],
        [0, 0, 0, 0],
    ]);
});

test('segments that lie side by side differ, the same number is the same everywhere, and 0 is none', () => {
    const [a, b, again, none] = pixels([tile(Uint32Array, 7, 8, 7, 0)], { kind: 'segments' }, 0, 4);
    expect(a).toEqual(again);
    expect(a).not.toEqual(b);
    expect(none).toEqual([0, 0, 0, 0]);
});

test('a value at a limit belongs to the upper side', () => {
    const style: Style = { kind: 'sides', band: 2, limits: [0, 10], colours: ['#010000', '#020000', '#030000'] };
    expect(pixels([tile(Float64Array, -0.1, 0, 9.9, 10)], style, null, 4).map((one) => one[0])).toEqual([1, 2, 2, 3]);
    expect(bandsOf(style)).toEqual([2]);
});

test('a colour is a word of the canvas', () => expect(word('#010203')).toBe(0xff030201));

test('both dates in one picture: more before is red, more after its opposite, the same is grey', () => {
    const after = tile(Float32Array, 0.2, 0.5, 0.2, NaN);
    const before = tile(Float32Array, 0.2, 0.2, 0.5, 0.2);
    const style: Style = { kind: 'dates', other: 1, band: 4, limits: [0, 0.5], before: [0, 0.5] };
    const { data } = paint([after], style, raster(null), before);
    const shown = Array.from({ length: 4 }, (_, i) => [...data.slice(4 * i, 4 * i + 4)]);
    expect(shown[0]).toEqual([102, 102, 102, 255]);
    expect(shown[1]).toEqual([102, 255, 255, 255]);
    expect(shown[2]).toEqual([255, 102, 102, 255]);
    expect(shown[3]).toEqual([0, 0, 0, 0]);
    expect(bandsOf(style)).toEqual([4]);
});

test('a pair of classes stays as it is, and all else is dimmed', () => {
    const { data } = paint([tile(Uint8Array, 1, 1, 2, 2)], { kind: 'pair', other: 1, from: [1], to: [3] }, raster(null), tile(Uint8Array, 3, 2, 3, 2));
    expect([3, 7, 11, 15].map((i) => data[i])).toEqual([0, 205, 205, 205]);
});

test('what lies between two limits is not covered', () => {
    const style: Style = { kind: 'sides', band: 1, limits: [-1, 1], colours: ['#ff0000', 'transparent', '#00ff00'] };
    expect(pixels([tile(Float32Array, -2, 0, 2)], style, null, 3)).toEqual([
        [255, 0, 0, 255],
        [0, 0, 0, 0],
        [0, 255, 0, 255],
    ]);
});
