import { deflateSync } from 'node:zlib';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import type { RasterItem } from '../../resources/js/api/client';
import { onTile, tile, want } from '../../resources/js/views/tileStore';

const item = (id: number) => ({ id, raster: { type: 'UInt8' } }) as unknown as RasterItem;
function body(): ArrayBuffer {
    const packed = deflateSync(new Uint8Array(65536).fill(7));
    const bytes = new Uint8Array(4 + packed.length);
    new DataView(bytes.buffer).setUint32(0, packed.length, true);
    bytes.set(packed, 4);
    return bytes.buffer;
}
const answers: (() => Promise<Response>)[] = [];
const fetched = vi.fn(() => (answers.shift() ?? (() => Promise.reject(new Error('no more'))))());
/** Until listeners were told. */
const told = () =>
    new Promise<void>((resolve) => {
        const stop = onTile(() => (stop(), resolve()));
    });

beforeEach(() => {
    vi.useFakeTimers({ toFake: ['setTimeout'] });
    vi.stubGlobal('fetch', fetched);
    fetched.mockClear();
});
afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
});

test('a tile that failed is asked for again after a while, and then is there', async () => {
    answers.push(
        () => Promise.reject(new Error('broken off')),
        async () => new Response(body()),
    );
    want(Symbol(), new Set(['1/0/0/0/1']));
    const failed = told();
    expect(tile(item(1), [1], 0, 0, 0).samples).toBeNull();
    await failed;
    // not at once
    tile(item(1), [1], 0, 0, 0);
    expect(fetched).toHaveBeenCalledTimes(1);
    const again = told();
    vi.advanceTimersByTime(1000);
    await again;
    const came = told();
    tile(item(1), [1], 0, 0, 0);
    expect(fetched).toHaveBeenCalledTimes(2);
    await came;
    expect(tile(item(1), [1], 0, 0, 0).samples?.[0]?.[65535]).toBe(7);
});

test('one that never comes is left in peace after a few times', async () => {
    want(Symbol(), new Set(['2/0/0/0/1']));
    for (let round = 0; round < 8; round++) {
        const failed = fetched.mock.calls.length < 4 ? told() : Promise.resolve();
        tile(item(2), [1], 0, 0, 0);
        await failed;
        vi.advanceTimersByTime(60_000);
    }
    expect(fetched).toHaveBeenCalledTimes(4);
});
