import type { components } from '../api/schema';

export type KeyDocument = components['schemas']['KeyDocument'];
export type Couplet = components['schemas']['KeyCouplet'];
export type Rule = components['schemas']['KeyRule'];
export type Answer = components['schemas']['KeyAnswer'];
export type Side = 'yes' | 'no';

/** What a case answered at a couplet. */
export const [YES, NO, NONE, UNASKED] = [1, 0, -1, -2] as const;

export interface Way {
    cases: number;
    pixels: number;
}

export interface Sorted {
    /** Code of each case, 0 for unlabelled. */
    codes: Uint16Array;
    /** By couplet, what each case answered there. */
    answers: Map<string, Int8Array>;
    ways: Map<string, { yes: Way; no: Way; none: Way }>;
    /** Couplets whose values have not come yet: what they are asked of stops there. */
    waiting: Set<string>;
}

export const codeOf = (key: KeyDocument, name: string | undefined): number => key.classes.find((one) => one.name === name)?.value ?? 0;

/** Couplets that are asked, each after the one that leads to it; what goes in a circle is left out. */
export function asked(key: KeyDocument): Couplet[] {
    const byId = new Map(key.couplets.map((one) => [one.id, one]));
    const order: Couplet[] = [];
    const open = key.couplets.slice(0, 1);
    while (open.length) {
        const couplet = open.shift()!;
        if (order.includes(couplet)) continue;
        order.push(couplet);
        for (const answer of [couplet.no, couplet.yes]) {
            const next = answer?.couplet === undefined ? undefined : byId.get(answer.couplet);
            if (next) open.unshift(next);
        }
    }
    return order;
}

/**
 * Cases on their way through a key, as the core sends them (core/tests/fixtures/key_vectors.json holds both).
 *
 * @param column  values of a measure, NaN for none; null where they have not come yet
 * @param shares  what spoke for yes at a couplet that learns
 */
export function sort(
    key: KeyDocument,
    pixels: ArrayLike<number>,
    column: (measure: string) => ArrayLike<number> | null,
    shares: (couplet: string) => ArrayLike<number> | null,
): Sorted {
    const count = pixels.length;
    const codes = new Uint16Array(count).fill(codeOf(key, key.rest));
    const sorted: Sorted = { codes, answers: new Map(), ways: new Map(), waiting: new Set() };
    const byId = new Map(key.couplets.map((one) => [one.id, one]));
    const first = key.couplets[0];
    const open: [Couplet, Uint32Array][] = first ? [[first, new Uint32Array(count).map((_, i) => i)]] : [];
    while (open.length) {
        const [couplet, members] = open.pop()!;
        if (sorted.answers.has(couplet.id)) continue;
        const answers = new Int8Array(count).fill(UNASKED);
        const values = couplet.measure === undefined ? shares(couplet.id) : column(couplet.measure);
        if (!values) sorted.waiting.add(couplet.id);
        else if (couplet.measure === undefined) learnt(answers, members, values);
        else within(answers, members, values, couplet.least ?? -Infinity, couplet.below ?? Infinity);
        sorted.answers.set(couplet.id, answers);
        sorted.ways.set(couplet.id, waysOf(answers, values ? members : new Uint32Array(), pixels));
        for (const [side, code] of [
            ['yes', YES],
            ['no', NO],
        ] as const) {
            const answer = couplet[side];
            const next = answer?.couplet === undefined ? undefined : byId.get(answer.couplet);
            if (next) open.push([next, picked(answers, members, code, sorted.ways.get(couplet.id)![side].cases)]);
            else if (answer?.class !== undefined && values) {
                const to = codeOf(key, answer.class);
                for (let i = 0; i < members.length; i++) if (answers[members[i]!] === code) codes[members[i]!] = to;
            }
        }
    }
    return sorted;
}

function waysOf(answers: Int8Array, members: Uint32Array, pixels: ArrayLike<number>): { yes: Way; no: Way; none: Way } {
    const [cases, sums] = [
        [0, 0, 0],
        [0, 0, 0],
    ];
    for (let i = 0; i < members.length; i++) {
        const at = answers[members[i]!]! + 1;
        cases[at]!++;
        sums[at]! += pixels[members[i]!]!;
    }
    const way = (answer: number) => ({ cases: cases[answer + 1]!, pixels: sums[answer + 1]! });
    return { yes: way(YES), no: way(NO), none: way(NONE) };
}

/** Those of the members that gave an answer. */
function picked(answers: Int8Array, members: Uint32Array, code: number, count: number): Uint32Array {
    const some = new Uint32Array(count);
    for (let i = 0, n = 0; n < count; i++) if (answers[members[i]!] === code) some[n++] = members[i]!;
    return some;
}

function within(answers: Int8Array, members: Uint32Array, values: ArrayLike<number>, least: number, below: number): void {
    for (let i = 0; i < members.length; i++) {
        const value = values[members[i]!]!;
        answers[members[i]!] = value - value !== 0 ? NONE : value >= least && value < below ? YES : NO;
    }
}

function learnt(answers: Int8Array, members: Uint32Array, shares: ArrayLike<number>): void {
    for (let i = 0; i < members.length; i++) {
        const share = shares[members[i]!]!;
        answers[members[i]!] = share !== share ? NONE : share > 0.5 ? YES : NO;
    }
}

/** Where a case went: the couplets that it was asked at, and what it answered. */
export function wayOf(key: KeyDocument, sorted: Sorted, place: number): { couplet: Couplet; answer: number }[] {
    const way: { couplet: Couplet; answer: number }[] = [];
    const byId = new Map(key.couplets.map((one) => [one.id, one]));
    for (let couplet = key.couplets[0]; couplet && way.length <= key.couplets.length;) {
        const answer = sorted.answers.get(couplet.id)?.[place] ?? UNASKED;
        if (answer === UNASKED) break;
        way.push({ couplet, answer });
        const to = answer === YES ? couplet.yes : answer === NO ? couplet.no : null;
        couplet = to?.couplet === undefined ? undefined : byId.get(to.couplet);
    }
    return way;
}

/** How far a value lies inside its answer's side of the limits: the distance to the limit that it would have to pass. */
export function margin(couplet: Couplet, value: number): number {
    return Math.min(...[couplet.least, couplet.below].filter((limit) => limit !== undefined).map((limit) => Math.abs(value - limit)));
}

/** How the values lie that reach a couplet, as it is kept with a limit (core: Classify\Keys\Spread). */
export function spreadOf(values: ArrayLike<number>, pixels: ArrayLike<number>, answers: Int8Array): components['schemas']['KeyHistogram'] | null {
    const BINS = 64;
    const members: number[] = [];
    let [minimum, maximum, all, yes] = [Infinity, -Infinity, 0, 0];
    for (let i = 0; i < answers.length; i++) {
        if (answers[i]! < NO) continue;
        const value = values[i]!;
        members.push(i);
        if (value < minimum) minimum = value;
        if (value > maximum) maximum = value;
        all += pixels[i]!;
        if (answers[i] === YES) yes += pixels[i]!;
    }
    if (!members.length) return null;
    const factor = maximum > minimum ? BINS / (maximum - minimum) : 0;
    const counts = new Array<number>(factor ? BINS : 1).fill(0);
    for (const i of members) counts[Math.min(counts.length - 1, Math.floor((values[i]! - minimum) * factor))]! += pixels[i]!;
    members.sort((a, b) => values[a]! - values[b]!);
    const quartiles: number[] = [];
    let passed = 0;
    for (const i of members) {
        passed += pixels[i]!;
        while (quartiles.length < 3 && passed >= 0.25 * (quartiles.length + 1) * all) quartiles.push(values[i]!);
    }
    while (quartiles.length < 3) quartiles.push(maximum);
    return { minimum, maximum, counts, quartiles, yes: yes / all };
}
