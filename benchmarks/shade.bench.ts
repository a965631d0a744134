import { bench, describe } from 'vitest';
import { binned } from '../resources/js/key/bins';
import { coloursOf } from '../resources/js/key/paint';
import { river } from '../resources/js/key/river';
import { sort, type KeyDocument } from '../resources/js/key/sort';
import { paintSegments, plainLook } from '../resources/js/views/segments/paintSegments';
import { beyond, coloursBy } from '../resources/js/views/segments/shade';

// what a view does when a limit is drawn along over a million segments: wanted within 50 ms
const SEGMENTS = 1_000_000;
const [WIDTH, HEIGHT] = [640, 540];
globalThis.ImageData ??= class {
    data: Uint8ClampedArray;
    constructor(width: number, height: number) {
        this.data = new Uint8ClampedArray(4 * width * height);
    }
} as unknown as typeof ImageData;
const numbers = Float64Array.from({ length: SEGMENTS }, (_, i) => i + 1);
const values = numbers.map((number) => Math.sin(number * 0.7));
const pixels = numbers.map((number) => 1 + (number % 50));
const screen = Uint32Array.from({ length: WIDTH * HEIGHT }, (_, i) => 1 + ((Math.floor((i % WIDTH) / 4) + 1000 * Math.floor(i / WIDTH / 4)) % SEGMENTS));
let limit = 0;

describe('a limit over a million segments', () => {
    bench('colours, number beyond, and a view painted', () => {
        limit = (limit + 0.01) % 0.9;
        const colours = coloursBy(numbers, values, { ramp: 'viridis', limits: [-1, 1], limit, side: 'above' });
        beyond(values, pixels, limit, 'above');
        paintSegments(screen, WIDTH, HEIGHT, { ...plainLook, colours }, 0.7);
    });
});

// what the desk of a key does when a limit is drawn along, with a hundred thousand segments and ten questions: wanted within 100 ms
const SORTED = 100_000;
const names = Array.from({ length: 10 }, (_, k) => `m${k}`);
const columns = Object.fromEntries(names.map((name, k) => [name, Float64Array.from({ length: SORTED }, (_, i) => Math.sin(i * (0.3 + 0.1 * k)))]));
const key: KeyDocument = {
    classes: names.map((name, k) => ({ value: k + 1, name, colour: '#6a9a4f' })),
    couplets: names.map((name, k) => ({ id: name, measure: name, least: 0.8, yes: { class: name }, no: k < 9 ? { couplet: `m${k + 1}` } : null })),
};
const few = screen.map((number) => 1 + (number % SORTED));
const all = { cases: SORTED, pixels: SORTED };
const ones = new Float64Array(SORTED).fill(1);

describe('a limit of a key of ten questions over a hundred thousand segments', () => {
    bench('the way through the key, the river with its histograms, and a view painted', () => {
        limit = (limit + 0.01) % 0.9;
        const now = { ...key, couplets: key.couplets.map((one, k) => (k === 2 ? { ...one, least: limit } : one)) };
        const sorted = sort(
            now,
            ones,
            (name) => columns[name]!,
            () => null,
        );
        river(now, sorted, all, { width: 600, height: 220 });
        for (const name of names) binned(columns[name]!, ones, sorted.answers.get(name)!, 26);
        const colours = coloursOf(sorted.codes, numbers.subarray(0, SORTED), now.classes, null);
        paintSegments(few, WIDTH, HEIGHT, { ...plainLook, colours }, 0.7);
    });
});
