import { classColours } from '../views/classColours';
import { asked, type Answer, type Couplet, type KeyDocument, type Rule, type Side } from './sort';

/** An end of the river: an answer of a couplet; null before the first question. */
export type At = { couplet: string; side: Side } | null;

export const emptyKey = (name: string): KeyDocument => ({ type: 'key', version: 1, name, classes: [], couplets: [], rules: [] });

/** The same without some of it. */
export function without<T extends object, K extends keyof T>(all: T, ...names: K[]): Omit<T, K> {
    const rest = { ...all };
    for (const name of names) delete rest[name];
    return rest;
}

/** Examples without what was learnt from others before. */
export const untaught = (examples: NonNullable<Couplet['examples']>) => without(examples, 'values', 'answers', 'means', 'deviations');

const copy = (key: KeyDocument): KeyDocument => JSON.parse(JSON.stringify(key)) as KeyDocument;
const find = (key: KeyDocument, id: string) => key.couplets.find((one) => one.id === id);

/** Where a couplet is asked. */
export function askedAt(key: KeyDocument, id: string): At | undefined {
    for (const couplet of key.couplets) for (const side of ['yes', 'no'] as const) if (couplet[side]?.couplet === id) return { couplet: couplet.id, side };
    return key.couplets[0]?.id === id ? null : undefined;
}

export function answerAt(key: KeyDocument, at: At): Answer {
    const first = key.couplets[0];
    return at ? (find(key, at.couplet)?.[at.side] ?? null) : first ? { couplet: first.id } : null;
}

function setAnswer(key: KeyDocument, at: At, answer: Answer): void {
    const couplet = at && find(key, at.couplet);
    if (couplet) couplet[at.side] = answer;
}

/** A word for a couplet that no other has. */
export function freshId(key: KeyDocument, question: string): string {
    const word =
        question
            .toLowerCase()
            .normalize('NFD')
            .replace(/[^a-z0-9]+/g, '-')
            .replace(/^-+|-+$/g, '')
            .slice(0, 40) || 'question';
    let id = word;
    for (let n = 2; find(key, id); n++) id = `${word}-${n}`;
    return id;
}

/** The class of a name, made where there is none yet. */
export function withClass(key: KeyDocument, name: string): KeyDocument {
    if (key.classes.some((one) => one.name === name)) return key;
    const next = copy(key);
    const value = Math.max(0, ...next.classes.map((one) => one.value)) + 1;
    const names = [...next.classes.map((one) => one.name), name];
    const colour = classColours(
        names,
        next.classes.map((one) => one.colour),
    )[names.length - 1]!;
    next.classes.push({ value, name, colour });
    return next;
}

/** A new question at an end; what led there before goes on where the answer is no. */
export function ask(key: KeyDocument, at: At, couplet: Omit<Couplet, 'id' | 'yes' | 'no'>, yes: string | null): KeyDocument {
    const next = copy(yes === null ? key : withClass(key, yes));
    const before = answerAt(next, at);
    const id = freshId(next, couplet.question ?? couplet.measure ?? '');
    const { cut, ...rest } = before ?? {};
    const made: Couplet = { id, ...couplet, yes: yes === null ? null : { class: yes }, no: before ? rest : null };
    if (at === null) next.couplets.unshift(made);
    else next.couplets.push(made);
    setAnswer(next, at, cut === undefined ? { couplet: id } : { couplet: id, cut });
    return next;
}

/** Takes a question with all that hangs on it out of the river; it stays in the key, to be put back. The first gives its place to one that follows. */
export function cutOff(key: KeyDocument, id: string): KeyDocument {
    const next = copy(key);
    const at = askedAt(next, id);
    if (at) setAnswer(next, at, null);
    else if (at === null) {
        const first = next.couplets[0]!;
        const side = (['no', 'yes'] as const).find((one) => first[one]?.couplet !== undefined);
        const heir = side && find(next, first[side]!.couplet!);
        if (side && heir) {
            first[side] = null;
            next.couplets = [heir, ...next.couplets.filter((one) => one !== heir)];
        } else next.couplets.shift();
    }
    return next;
}

/** Questions that were cut off, without those that hang on them. */
export function spare(key: KeyDocument): Couplet[] {
    const river = new Set(asked(key).map((one) => one.id));
    return key.couplets.filter((one) => !river.has(one.id) && askedAt(key, one.id) === undefined);
}

/** Puts a question that was cut off back at an end. */
export function putBack(key: KeyDocument, id: string, at: At): KeyDocument {
    const next = copy(key);
    const couplet = find(next, id);
    if (!couplet) return next;
    const before = answerAt(next, at);
    if (couplet.no === null && before) couplet.no = before;
    if (at === null) next.couplets = [couplet, ...next.couplets.filter((one) => one !== couplet)];
    else setAnswer(next, at, { couplet: id });
    return next;
}

/** To another end: cut off there, put back here. */
export const move = (key: KeyDocument, id: string, to: At): KeyDocument => putBack(cutOff(key, id), id, to);

/** Whether an end lies beyond a couplet, which can't be moved there. */
export function hangsOn(key: KeyDocument, at: At, id: string): boolean {
    for (let where: At | undefined = at; where; where = askedAt(key, where.couplet)) if (where.couplet === id) return true;
    return false;
}

export function lead(key: KeyDocument, at: At, answer: Answer): KeyDocument {
    const next = copy(answer?.class === undefined ? key : withClass(key, answer.class));
    setAnswer(next, at, answer);
    return next;
}

export function change(key: KeyDocument, id: string, part: Partial<Couplet>): KeyDocument {
    const next = copy(key);
    next.couplets = next.couplets.map((one) => (one.id === id ? tidy({ ...one, ...part }) : one));
    return next;
}

/** What is not told is left out, but answers that lead nowhere. */
const tidy = (couplet: Couplet): Couplet => JSON.parse(JSON.stringify(couplet)) as Couplet;

export function turn(key: KeyDocument, id: string): KeyDocument {
    const couplet = find(key, id);
    return couplet ? change(key, id, { yes: couplet.no, no: couplet.yes }) : key;
}

export function recolour(key: KeyDocument, name: string, colour: string): KeyDocument {
    const next = copy(key);
    next.classes = next.classes.map((one) => (one.name === name ? { ...one, colour } : one));
    return next;
}

/** A class one place earlier; codes go by place, the first being 1. */
export function shiftClass(key: KeyDocument, at: number): KeyDocument {
    const next = copy(key);
    const [one] = next.classes.splice(at, 1);
    next.classes.splice(at - 1, 0, one!);
    next.classes = next.classes.map((each, i) => ({ ...each, value: i + 1 }));
    return next;
}

/** A class under another name, wherever it is told. */
export function rename(key: KeyDocument, from: string, to: string): KeyDocument {
    if (!to || key.classes.some((one) => one.name === to)) return key;
    const next = copy(key);
    next.classes = next.classes.map((one) => (one.name === from ? { ...one, name: to } : one));
    for (const couplet of next.couplets)
        for (const side of ['yes', 'no'] as const) if (couplet[side]?.class === from) couplet[side] = { ...couplet[side], class: to };
    if (next.rest === from) next.rest = to;
    for (const rule of next.rules ?? []) {
        rule.of = rule.of?.map((one) => (one === from ? to : one));
        if (rule.with === from) rule.with = to;
        if (!rule.of) delete rule.of;
    }
    return next;
}

/** Classes that nothing leads to any more are left out. */
export function withoutUnused(key: KeyDocument): KeyDocument {
    const used = new Set([
        key.rest,
        ...key.couplets.flatMap((one) => [one.yes?.class, one.no?.class]),
        ...(key.rules ?? []).flatMap((rule) => [rule.with, ...(rule.of ?? [])]),
    ]);
    return { ...key, classes: key.classes.filter((one) => used.has(one.name)) };
}

export function setRules(key: KeyDocument, change: (rules: Rule[]) => Rule[]): KeyDocument {
    return { ...copy(key), rules: change(copy(key).rules ?? []) };
}

export function setRest(key: KeyDocument, rest: string | null): KeyDocument {
    const next = copy(rest === null ? key : withClass(key, rest));
    if (rest === null) delete next.rest;
    else next.rest = rest;
    return next;
}
