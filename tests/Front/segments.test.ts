import { beforeAll, expect, test } from 'vitest';
import { cut, segmentsAt } from '../../resources/js/views/segments/joins';
import { layNumbers } from '../../resources/js/views/segments/numbersOnScreen';
import { paintSegments, plainLook } from '../../resources/js/views/segments/paintSegments';
import { bestSplit, beyond, binned, coloursBy, range } from '../../resources/js/views/segments/shade';
import { findRow } from '../../resources/js/views/segments/useRow';
import { rampTable, word } from '../../resources/js/views/ramps';
import { TILE } from '../../resources/js/views/paint';

beforeAll(() => {
    // a browser has it; here only its bytes matter
    globalThis.ImageData = class {
        data: Uint8ClampedArray;
        constructor(width: number, height: number) {
            this.data = new Uint8ClampedArray(4 * width * height);
        }
    } as unknown as typeof ImageData;
});

const words = (image: ImageData) => new Uint32Array(image.data.buffer);
/** Two segments side by side, large enough for their edge to be seen. */
const sides = (width: number, height: number) => Uint32Array.from({ length: width * height }, (_, i) => (i % width < width / 2 ? 1 : 2));

test('an edge is one pixel of the screen, dark inside light; segments without colours show what is below', () => {
    const out = words(paintSegments(sides(40, 10), 40, 10, plainLook, 0.7));
    const row = [...out.slice(5 * 40, 6 * 40)].map((colour) => [colour & 255, colour >>> 24]);
    expect(row[19]).toEqual([0x16, 215]);
    expect(row[18]).toEqual([255, 95]);
    expect(row[20]).toEqual([255, 95]);
    expect(row[10]).toEqual([0, 0]);
    expect(row[30]).toEqual([0, 0]);
});

test('where edges would hide all else they give way to scattered hues', () => {
    const numbers = Uint32Array.from({ length: 1600 }, (_, i) => i + 1);
    const out = words(paintSegments(numbers, 40, 40, plainLook, 1));
    expect(new Set(out).size).toBeGreaterThan(1000);
    expect([...out].every((colour) => colour >>> 24 === 255)).toBe(true);
});

test('the segment pointed at and those chosen have light edges inside dark, and the chosen are hatched', () => {
    const plain = words(paintSegments(sides(40, 20), 40, 20, plainLook, 1));
    const under = words(paintSegments(sides(40, 20), 40, 20, { ...plainLook, under: 2 }, 1));
    expect([under[10 * 40 + 19]! & 255, under[10 * 40 + 20]! & 255, under[10 * 40 + 18]! & 255]).toEqual([255, 255, expect.toSatisfy((v: number) => v < 90)]);
    expect(under[10 * 40 + 30]).toBe(plain[10 * 40 + 30]);
    const chosen = words(paintSegments(sides(40, 20), 40, 20, { ...plainLook, chosen: new Set([1]) }, 1));
    const painted = (from: number, to: number) => [...chosen.slice(10 * 40 + from, 10 * 40 + to)].filter(Boolean).length;
    expect(painted(2, 16)).toBe(4);
    expect(painted(24, 38)).toBe(0);
});

test('colours go by number and piece, joined pieces share no edge', () => {
    const colours = Uint32Array.from([0, word('#ff0000'), 0]);
    const out = words(paintSegments(sides(40, 10), 40, 10, { ...plainLook, colours }, 0.5));
    expect([out[5 * 40 + 5]! & 0xffffff, out[5 * 40 + 5]! >>> 24, out[5 * 40 + 30]]).toEqual([0x0000ff, 128, 0]);
    const joined = words(paintSegments(sides(40, 10), 40, 10, { ...plainLook, joined: Uint32Array.from([0, 1, 1]) }, 0.5));
    expect([...joined].every((colour) => colour === 0)).toBe(true);
});

test('numbers are laid on the screen by the nearest, at any zoom and turned; outside and where no tile has come there is none', () => {
    const samples = Uint32Array.from({ length: TILE * TILE }, (_, i) => i + 1);
    const lay = (back: number[], columns = 300) => {
        const numbers = new Uint32Array(4);
        layNumbers(numbers, 2, 2, back, columns, 2, (x) => (x ? null : samples));
        return [...numbers];
    };
    expect(lay([1, 0, 0, 1, 0, 0])).toEqual([1, 2, 257, 258]);
    expect(lay([0.5, 0, 0, 0.5, 3, 1])).toEqual([260, 260, 260, 260]);
    expect(lay([0, 1, 1, 0, 0, 0])).toEqual([1, 257, 2, 258]);
    expect(lay([1, 0, 0, 1, -1, -1])).toEqual([0, 0, 0, 1]);
    expect(lay([1, 0, 0, 1, 255, 0])).toEqual([256, 0, 512, 0]);
});

test('shading: the ramp between its ends, what lies on the other side of a limit fades, what has no value has no colour', () => {
    const numbers = Float64Array.from([1, 2, 4, 5]);
    const values = Float64Array.from([0, 1, NaN, 0.5]);
    const table = rampTable('grey');
    const plain = coloursBy(numbers, values, { ramp: 'grey', limits: [0, 1], limit: null, side: 'above' });
    expect([...plain]).toEqual([0, table[0], table[255], 0, 0, table[127]]);
    const alpha = (side: 'above' | 'below') =>
        [...coloursBy(numbers, values, { ramp: 'grey', limits: [0, 1], limit: 0.5, side })].map((colour) => colour >>> 24);
    expect(alpha('above')).toEqual([0, 60, 255, 0, 0, 255]);
    expect(alpha('below')).toEqual([0, 255, 60, 0, 0, 60]);
    expect(beyond(values, Float64Array.from([10, 20, 30, 40]), 0.5, 'above')).toEqual({ segments: 2, weight: 60 });
    expect(beyond(values, null, 0.5, 'below')).toEqual({ segments: 1, weight: 0 });
});

test('a million segments are coloured by a limit within a repaint', () => {
    const numbers = Float64Array.from({ length: 1_000_000 }, (_, i) => i + 1);
    const values = numbers.map((number) => Math.sin(number));
    const colours = coloursBy(numbers, values, { ramp: 'viridis', limits: [-1, 1], limit: 0.25, side: 'above' });
    expect(colours.filter((colour) => colour >>> 24 === 255).length).toBe(beyond(values, null, 0.25, 'above').segments);
});

test('the histogram counts segments or their area, and its best split lies between two heaps', () => {
    const values = Float64Array.from([0, 0.1, 0.2, 9.8, 9.9, 10, NaN]);
    expect(range(values, [0, 100])).toEqual([0, 10]);
    expect(binned(values, null, [0, 10], 2)).toEqual([3, 3]);
    expect(binned(values, Float64Array.from([1, 1, 1, 5, 5, 5, 9]), [0, 10], 2)).toEqual([3, 15]);
    const split = bestSplit(binned(values, null, [0, 10], 100), [0, 10])!;
    expect(split).toBeGreaterThan(0.2);
    expect(split).toBeLessThan(9.8);
    expect(bestSplit([0, 4, 0], [0, 3])).toBeNull();
    expect([range(Float64Array.from([]), [2, 98]), range(Float64Array.from([3, 3]), [2, 98])[0]]).toEqual([[0, 1], 3]);
});

test('pieces join by a tree as far as a limit goes, and part again', () => {
    // 1 and 2 make node 5, 3 and 5 make node 6; 4 stays
    const joins = { leaves: 4, first: Float64Array.from([1, 3]), second: Float64Array.from([2, 5]), height: Float64Array.from([2, 4]) };
    expect([...cut(joins, 1)]).toEqual([0, 1, 2, 3, 4]);
    expect([...cut(joins, 2)]).toEqual([0, 1, 1, 3, 4]);
    expect([...cut(joins, 4)]).toEqual([0, 1, 1, 1, 4]);
    expect([segmentsAt(joins, 1), segmentsAt(joins, 3), segmentsAt(joins, 9)]).toEqual([4, 3, 2]);
});

test('a row is found by its segment, also where numbers have gaps', () => {
    const numbers = Float64Array.from([1, 2, 5, 9]);
    expect([1, 2, 5, 9, 4, 10].map((number) => findRow(numbers, number))).toEqual([0, 1, 2, 3, null, null]);
});
