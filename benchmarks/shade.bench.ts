import { bench, describe } from 'vitest';
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
