import type { RasterItem } from '../api/client';
import { signedOut } from '../api/client';
import { unpack } from './unpack';
import type { Samples } from './paint';

/** Raw tiles from the server, kept while there is room; those asked for and left behind are cancelled. One that failed is asked for again. */
const MOST = 600;
const TRIES = 4;
const held = new Map<string, Samples[]>();
const pending = new Map<string, AbortController>();
const wanted = new Map<symbol, Set<string>>();
const failed = new Map<string, { tries: number; waiting: boolean }>();
const listeners = new Set<() => void>();

export function onTile(listener: () => void): () => void {
    listeners.add(listener);
    return () => listeners.delete(listener);
}

export const tilesPending = (): number => pending.size;

/** A tile's values if they are here; otherwise they are fetched, and listeners told when they come. */
export function tile(item: RasterItem, bands: number[], z: number, x: number, y: number): { key: string; samples: Samples[] | null } {
    const key = `${item.id}/${z}/${x}/${y}/${bands.join(',')}`;
    const samples = held.get(key);
    if (samples) {
        held.delete(key);
        held.set(key, samples);
        return { key, samples };
    }
    const before = failed.get(key);
    if (!pending.has(key) && !before?.waiting && (before?.tries ?? 0) < TRIES) void load(item, bands, z, x, y, key);
    return { key, samples: null };
}

/** What a view still wants; fetches that no view wants end. */
export function want(view: symbol, keys: Set<string>): void {
    if (keys.size) wanted.set(view, keys);
    else wanted.delete(view);
    for (const [key, controller] of pending) {
        if (![...wanted.values()].some((set) => set.has(key))) {
            controller.abort();
            pending.delete(key);
        }
    }
}

async function load(item: RasterItem, bands: number[], z: number, x: number, y: number, key: string): Promise<void> {
    const controller = new AbortController();
    pending.set(key, controller);
    try {
        const answer = await fetch(`/api/items/${item.id}/tiles/${z}/${x}/${y}?bands=${bands.join(',')}&packed=yes`, { signal: controller.signal });
        if (answer.status === 401) signedOut();
        if (!answer.ok) throw new Error(String(answer.status));
        held.set(key, await unpack(await answer.arrayBuffer(), item.raster));
        failed.delete(key);
        if (held.size > MOST) held.delete(held.keys().next().value!);
    } catch {
        if (!controller.signal.aborted) again(key);
    } finally {
        if (pending.get(key) === controller) pending.delete(key);
        listeners.forEach((listener) => listener());
    }
}

/** After a second, two, four: whoever still wants it then asks anew. */
function again(key: string): void {
    const tries = (failed.get(key)?.tries ?? 0) + 1;
    failed.set(key, { tries, waiting: true });
    setTimeout(
        () => {
            failed.set(key, { tries, waiting: false });
            listeners.forEach((listener) => listener());
        },
        1000 * 2 ** (tries - 1),
    );
}
