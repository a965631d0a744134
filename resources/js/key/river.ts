import type { At } from './edit';
import type { Couplet, KeyDocument, Sorted, Side, Way } from './sort';

/** An arm of the river: what a couplet's answer sends on, in pixels of the drawing. */
export interface Arm extends Way {
    id: string;
    at: At;
    side: Side | 'none' | 'all';
    /** Left and right end: across, and from top to bottom. */
    from: [x: number, top: number, bottom: number];
    to: [x: number, top: number, bottom: number];
    /** The question that it leads to; null where it ends. */
    into: string | null;
    /** What it is at its end: a class, or null for unlabelled. */
    class: string | null;
    colour: string;
}

export interface Fork {
    couplet: Couplet;
    x: number;
    y: number;
}

export interface River {
    arms: Arm[];
    forks: Fork[];
    width: number;
    height: number;
}

export const UNLABELLED = '#b7b0a2';
export const CARD = { width: 128, height: 62 };
const [LEFT, STEP, LAST, GAP, THIN] = [36, 168, 132, 26, 2];

interface Branch {
    pixels: number;
    cases: number;
    couplet: Couplet | null;
    class: string | null;
    colour: string;
    depth: number;
    parts: { side: Side | 'none'; branch: Branch }[];
    top: number;
    thick: number;
}

const blank: Way = { cases: 0, pixels: 0 };

/** The key as a river that parts: arms as wide as what flows there, ends from the top down, yes above no. */
export function river(key: KeyDocument, sorted: Sorted, all: Way, least: { width: number; height: number }): River {
    const byId = new Map(key.couplets.map((one) => [one.id, one]));
    const colourOf = (name: string | null) => key.classes.find((one) => one.name === name)?.colour ?? UNLABELLED;
    const seen = new Set<string>();
    const build = (couplet: Couplet | undefined, end: string | null, { cases, pixels }: Way, depth: number): Branch => {
        const plain = { cases, pixels, depth, top: 0, thick: 0 };
        if (!couplet || seen.has(couplet.id)) return { ...plain, couplet: null, class: end, colour: colourOf(end), parts: [] };
        seen.add(couplet.id);
        const ways = sorted.ways.get(couplet.id);
        const parts: Branch['parts'] = (['yes', 'no'] as const).map((side) => ({
            side,
            branch: build(byId.get(couplet[side]?.couplet ?? ''), couplet[side]?.class ?? key.rest ?? null, ways?.[side] ?? blank, depth + 1),
        }));
        if (ways?.none.cases) parts.push({ side: 'none', branch: build(undefined, key.rest ?? null, ways.none, depth + 1) });
        return { ...plain, couplet, class: null, colour: mixed(parts.map(({ branch }) => branch)), parts };
    };
    const root = build(key.couplets[0], key.rest ?? null, all, 0);
    const ends: Branch[] = [];
    const walk = (branch: Branch): void => {
        if (!branch.parts.length) ends.push(branch);
        branch.parts.forEach(({ branch: part }) => walk(part));
    };
    walk(root);
    const deepest = Math.max(1, ...ends.map((end) => end.depth));
    const width = Math.max(least.width, LEFT + STEP * deepest + LAST);
    const height = Math.max(least.height, ends.length * (GAP + 12) + 12);
    const room = height - GAP * ends.length - 10;
    const thickness = (pixels: number) => Math.max(THIN, (room * pixels) / Math.max(1, all.pixels));
    let y = GAP;
    const place = (branch: Branch): void => {
        branch.thick = thickness(branch.pixels);
        if (!branch.parts.length) {
            branch.top = y;
            y += branch.thick + GAP;
            return;
        }
        branch.parts.forEach(({ branch: part }) => place(part));
        const thick = branch.parts.reduce((sum, { branch: part }) => sum + part.thick, 0);
        const middle = branch.parts.reduce((sum, { branch: part }) => sum + part.thick * (part.top + part.thick / 2), 0) / thick;
        branch.thick = thick;
        branch.top = Math.max(GAP, Math.min(height - thick - 4, middle - thick / 2));
    };
    place(root);
    const step = deepest ? (width - LEFT - LAST) / deepest : 0;
    const x = (depth: number) => LEFT + step * depth;
    const arms: Arm[] = [];
    const forks: Fork[] = [];
    arms.push({
        id: 'all',
        at: null,
        side: 'all',
        cases: root.cases,
        pixels: root.pixels,
        from: [0, root.top, root.top + root.thick],
        to: [root.couplet ? LEFT : width, root.top, root.top + root.thick],
        into: root.couplet?.id ?? null,
        class: root.class,
        colour: root.colour,
    });
    const flow = (branch: Branch): void => {
        if (!branch.couplet) return;
        forks.push({ couplet: branch.couplet, x: x(branch.depth), y: branch.top + branch.thick / 2 });
        let top = branch.top;
        for (const { side, branch: part } of branch.parts) {
            arms.push({
                id: `${branch.couplet.id}/${side}`,
                at: side === 'none' ? null : { couplet: branch.couplet.id, side },
                side,
                cases: part.cases,
                pixels: part.pixels,
                from: [x(branch.depth), top, top + part.thick],
                to: [part.couplet ? x(part.depth) : width, part.top, part.top + part.thick],
                into: part.couplet?.id ?? null,
                class: part.class,
                colour: part.colour,
            });
            top += part.thick;
            flow(part);
        }
    };
    flow(root);
    return { arms, forks, width, height };
}

/** Edges of an arm as a path: it bends within the length of one fork, and then runs straight. */
export function shape({ from: [x, top, bottom], to: [end, endTop, endBottom] }: Arm): string {
    const bend = Math.min(end, x + STEP);
    const middle = (x + bend) / 2;
    const n = (value: number) => value.toFixed(1);
    return (
        `M${n(x)} ${n(top)}C${n(middle)} ${n(top)} ${n(middle)} ${n(endTop)} ${n(bend)} ${n(endTop)}H${n(end)}V${n(endBottom)}H${n(bend)}` +
        `C${n(middle)} ${n(endBottom)} ${n(middle)} ${n(bottom)} ${n(x)} ${n(bottom)}Z`
    );
}

/** The colours of what flows on, mixed by how much of each there is. */
function mixed(parts: { pixels: number; colour: string }[]): string {
    const all = parts.reduce((sum, { pixels }) => sum + pixels, 0);
    if (!all) return UNLABELLED;
    const channel = (at: number) =>
        Math.round(Math.sqrt(parts.reduce((sum, { pixels, colour }) => sum + (pixels / all) * parseInt(colour.slice(at, at + 2), 16) ** 2, 0)));
    return `#${[1, 3, 5].map((at) => channel(at).toString(16).padStart(2, '0')).join('')}`;
}
