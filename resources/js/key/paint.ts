import { UNLABELLED } from './river';
import type { KeyDocument } from './sort';

function word(colour: string, alpha: number): number {
    const at = (from: number) => parseInt(colour.slice(from, from + 2), 16);
    return ((alpha << 24) | (at(5) << 16) | (at(3) << 8) | at(1)) >>> 0;
}

/**
 * What each segment is painted with, by its number, as canvas words: its class; unlabelled ones let the picture through. Where some are lit, all
 * else is dark.
 */
export function coloursOf(codes: Uint16Array, numbers: ArrayLike<number>, classes: KeyDocument['classes'], lit: ReadonlySet<number> | null): Uint32Array {
    const colours = new Uint32Array((numbers[numbers.length - 1] ?? 0) + 1);
    const table = new Uint32Array(65536).fill(word(UNLABELLED, lit ? 255 : 60));
    for (const { value, colour } of classes) table[value] = word(colour, 255);
    const dark = word('#000000', 160);
    for (let place = 0; place < codes.length; place++) colours[numbers[place]!] = lit && !lit.has(place) ? dark : table[codes[place]!]!;
    return colours;
}
