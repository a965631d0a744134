import type { Place } from '../views/geo';

/** Pixels of a window that lies on a grid: places are counted along its rows. */
export interface Pixels {
    corner: Place;
    column: Place;
    row: Place;
    width: number;
    pixels: Uint32Array;
}

/**
 * Polygons around pixels, by their corners: parts that touch at a corner only are two, and what lies inside of one is a hole of it.
 * The first ring of each is its shell.
 */
export function outline({ corner, column, row, width, pixels }: Pixels, count = pixels.length): Place[][][] {
    const isIn = new Set<number>();
    for (let i = 0; i < count; i++) isIn.add(pixels[i]!);
    // sides with the inside to their right; corners have numbers of their own, as there is one more of them
    const across = width + 1;
    const from = new Map<number, number[]>();
    const side = (a: number, b: number) => {
        const there = from.get(a);
        if (there) there.push(b);
        else from.set(a, [b]);
    };
    for (const pixel of isIn) {
        const [col, line] = [pixel % width, Math.floor(pixel / width)];
        const at = line * across + col;
        if (!isIn.has(pixel - width)) side(at, at + 1);
        if (col === width - 1 || !isIn.has(pixel + 1)) side(at + 1, at + 1 + across);
        if (!isIn.has(pixel + width)) side(at + 1 + across, at + across);
        if (col === 0 || !isIn.has(pixel - 1)) side(at + across, at);
    }
    const rings: number[][] = [];
    for (const [start] of from) {
        while (from.get(start)?.length) rings.push(...loops(ring(start, from, across)));
    }
    const shells: { area: number; ring: number[]; holes: number[][] }[] = [];
    const holes: number[][] = [];
    for (const one of rings) {
        const area = signed(one, across);
        if (area > 0) shells.push({ area, ring: one, holes: [] });
        else holes.push(one);
    }
    shells.sort((a, b) => a.area - b.area);
    for (const hole of holes) {
        // just inside of the hole's first corner lies a pixel of its shell
        shells.find((shell) => holds(shell.ring, hole, across))?.holes.push(hole);
    }
    const placed = (corners: number[]): Place[] => {
        const list = straight(corners, across).map((at): Place => {
            const [col, line] = [at % across, Math.floor(at / across)];
            return [corner[0] + col * column[0] + line * row[0], corner[1] + col * column[1] + line * row[1]];
        });
        return [...list, list[0]!];
    };
    return shells.map((shell) => [placed(shell.ring), ...shell.holes.map(placed)]);
}

/** The sides from a corner on until it is reached again; where two ways part, to the right, so that what touches at a corner stays apart. */
function ring(start: number, from: Map<number, number[]>, across: number): number[] {
    const corners = [start];
    let before = start;
    let at = take(start, from, 0);
    while (at !== start) {
        corners.push(at);
        const came = at - before;
        before = at;
        at = take(at, from, right(came, across));
    }
    return corners;
}

/** A ring that comes to a corner twice is two. */
function loops(corners: number[]): number[][] {
    const found: number[][] = [];
    const open: number[] = [];
    const places = new Map<number, number>();
    for (const corner of corners) {
        const before = places.get(corner);
        if (before !== undefined) {
            const loop = open.splice(before);
            for (const one of loop) places.delete(one);
            found.push(loop);
        }
        places.set(corner, open.length);
        open.push(corner);
    }
    return [...found, open];
}

/** The next corner, that in a direction where there are two. */
function take(at: number, from: Map<number, number[]>, wanted: number): number {
    const ways = from.get(at)!;
    const found = Math.max(0, ways.indexOf(at + wanted));
    return ways.splice(found, 1)[0]!;
}

/** The direction to the right of one. */
function right(direction: number, across: number): number {
    return { 1: across, [across]: -1, '-1': -across, [-across]: 1 }[direction]!;
}

/** Without corners along a straight side. */
function straight(corners: number[], across: number): number[] {
    const turns = (i: number) => {
        const [a, b, c] = [corners[(i + corners.length - 1) % corners.length]!, corners[i]!, corners[(i + 1) % corners.length]!];
        return b - a !== c - b || Math.abs(b - a) > across;
    };
    return corners.filter((_, i) => turns(i));
}

function signed(corners: number[], across: number): number {
    let sum = 0;
    corners.forEach((a, i) => {
        const b = corners[(i + 1) % corners.length]!;
        sum += (a % across) * Math.floor(b / across) - (b % across) * Math.floor(a / across);
    });
    return sum / 2;
}

/** Whether a hole lies inside of a shell: by the middle of its first side, moved into the pixel on its right, which is of the shell. */
function holds(shell: number[], hole: number[], across: number): boolean {
    const [a, b] = [hole[0]!, hole[1]!];
    const [ax, ay, bx, by] = [a % across, Math.floor(a / across), b % across, Math.floor(b / across)];
    const [x, y] = [(ax + bx) / 2 - 0.5 * (by - ay), (ay + by) / 2 + 0.5 * (bx - ax)];
    let isInside = false;
    shell.forEach((from, i) => {
        const to = shell[(i + 1) % shell.length]!;
        const [fx, fy, tx, ty] = [from % across, Math.floor(from / across), to % across, Math.floor(to / across)];
        if (fx === tx && fy > y !== ty > y && x < fx) isInside = !isInside;
    });
    return isInside;
}
