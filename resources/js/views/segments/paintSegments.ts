/** How the segments of one raster look beside their edges. */
export interface SegmentLook {
    /** What each piece is painted with by its number, as canvas words; null for scattered hues where edges are too dense to be seen. */
    colours: Uint32Array | null;
    /** The segment that each piece belongs to, where pieces of a tree were joined; numbers are those of the pieces otherwise. */
    joined: Uint32Array | null;
    /** The segment under the cursor, 0 for none. */
    under: number;
    chosen: ReadonlySet<number>;
}

export const plainLook: SegmentLook = { colours: null, joined: null, under: 0, chosen: new Set() };

/** Share of edges among pixels of the screen from which edges begin to give way, and at which they are gone. */
const [DENSE, TOO_DENSE] = [0.16, 0.3];
const DARK = 0x161616;
const LIGHT = 0xffffff;
const HATCH = 7;

/**
 * Numbers on the screen, one for each of its pixels, to colours. Edges are one pixel of the screen, dark inside light; light inside dark around
 * the segment under the cursor and those chosen, which are hatched too. Where edges would hide all else they give way to the fill.
 *
 * @param opacity  of the fill, 0 to 1
 */
export function paintSegments(pieces: Uint32Array, width: number, height: number, look: SegmentLook, opacity: number): ImageData {
    const image = new ImageData(width, height);
    const out = new Uint32Array(image.data.buffer);
    const numbers = look.joined ? joinedNumbers(pieces, look.joined) : pieces;
    const { edges, share } = findEdges(numbers, width, height);
    const strength = Math.max(0, Math.min(1, (TOO_DENSE - share) / (TOO_DENSE - DENSE)));
    if (look.colours) fillBy(out, pieces, look.colours, opacity);
    else if (strength < 1) scatter(out, numbers, opacity * (1 - strength));
    const isStressed = (number: number) => number !== 0 && (number === look.under || look.chosen.has(number));
    if (look.chosen.size) hatch(out, numbers, width, look.chosen);
    if (strength > 0) drawEdges(out, edges, width, height, Math.round(215 * strength), Math.round(95 * strength));
    if (look.under || look.chosen.size) stress(out, numbers, edges, width, height, isStressed);
    return image;
}

function joinedNumbers(pieces: Uint32Array, joined: Uint32Array): Uint32Array {
    const numbers = new Uint32Array(pieces.length);
    for (let i = 0; i < pieces.length; i++) numbers[i] = joined[pieces[i]!]!;
    return numbers;
}

/** Pixels whose right or lower neighbour has another number, and their share of those that have one. */
function findEdges(numbers: Uint32Array, width: number, height: number): { edges: Uint8Array; share: number } {
    const edges = new Uint8Array(numbers.length);
    let [found, all] = [0, 0];
    for (let y = 0; y < height; y++) {
        const [from, to] = [y * width, (y + 1) * width];
        const isLast = y + 1 === height;
        for (let i = from; i < to; i++) {
            const number = numbers[i]!;
            if (number) all++;
            if ((i + 1 < to && numbers[i + 1] !== number) || (!isLast && numbers[i + width] !== number)) {
                edges[i] = 1;
                found++;
            }
        }
    }
    return { edges, share: all ? found / all : 0 };
}

function fillBy(out: Uint32Array, pieces: Uint32Array, colours: Uint32Array, opacity: number): void {
    for (let i = 0; i < out.length; i++) {
        const colour = colours[pieces[i]!]!;
        if (colour) out[i] = withAlpha(colour, (colour >>> 24) * opacity);
    }
}

/** Neighbours get numbers that are near, so the number is hashed. */
export function hue(number: number): number {
    const hash = Math.imul(number ^ (number >>> 7), 0x9e3779b1) >>> 0;
    return (0xff000000 | ((70 + (hash & 127)) << 16) | ((70 + ((hash >>> 8) & 127)) << 8) | (70 + ((hash >>> 16) & 127))) >>> 0;
}

function scatter(out: Uint32Array, numbers: Uint32Array, opacity: number): void {
    for (let i = 0; i < out.length; i++) if (numbers[i]) out[i] = withAlpha(hue(numbers[i]!), 255 * opacity);
}

function hatch(out: Uint32Array, numbers: Uint32Array, width: number, chosen: ReadonlySet<number>): void {
    for (let i = 0; i < out.length; i++) {
        const along = (i % width) + Math.floor(i / width);
        if (along % HATCH < 2 && chosen.has(numbers[i]!)) out[i] = over(out[i]!, along % HATCH ? DARK : LIGHT, 150);
    }
}

function drawEdges(out: Uint32Array, edges: Uint8Array, width: number, height: number, dark: number, light: number): void {
    for (let y = 0; y < height; y++) {
        for (let x = 0, i = y * width; x < width; x++, i++) {
            if (edges[i]) out[i] = over(out[i]!, DARK, dark);
            else if (isBeside(edges, i, x, y, width, height)) out[i] = over(out[i]!, LIGHT, light);
        }
    }
}

/** Edges of some segments, two pixels wide, light inside dark. */
function stress(out: Uint32Array, numbers: Uint32Array, edges: Uint8Array, width: number, height: number, isStressed: (number: number) => boolean): void {
    const line = new Uint8Array(numbers.length);
    for (let y = 0; y < height; y++) {
        for (let x = 0, i = y * width; x < width; x++, i++) {
            if (!edges[i]) continue;
            const right = x + 1 < width ? i + 1 : i;
            const below = y + 1 < height ? i + width : i;
            for (const other of [right, below]) {
                if (numbers[other] !== numbers[i] && (isStressed(numbers[i]!) || isStressed(numbers[other]!))) line[i] = line[other] = 1;
            }
        }
    }
    for (let y = 0; y < height; y++) {
        for (let x = 0, i = y * width; x < width; x++, i++) {
            if (line[i]) out[i] = over(out[i]!, LIGHT, 255);
            else if (isBeside(line, i, x, y, width, height)) out[i] = over(out[i]!, DARK, 220);
        }
    }
}

function isBeside(marks: Uint8Array, i: number, x: number, y: number, width: number, height: number): boolean {
    return Boolean((x > 0 && marks[i - 1]) || (x + 1 < width && marks[i + 1]) || (y > 0 && marks[i - width]) || (y + 1 < height && marks[i + width]));
}

function withAlpha(colour: number, alpha: number): number {
    return ((colour & 0xffffff) | (Math.round(alpha) << 24)) >>> 0;
}

/** A colour laid over another, both as canvas words with plain alpha. */
function over(below: number, colour: number, alpha: number): number {
    const a = alpha / 255;
    const b = (below >>> 24) / 255;
    const all = a + b * (1 - a);
    if (all === 0) return 0;
    const mix = (shift: number) => Math.round((((colour >>> shift) & 255) * a + ((below >>> shift) & 255) * b * (1 - a)) / all);
    return ((Math.round(255 * all) << 24) | (mix(16) << 16) | (mix(8) << 8) | mix(0)) >>> 0;
}
