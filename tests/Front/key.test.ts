import { readFileSync } from 'node:fs';
import { expect, test } from 'vitest';
import { answerAt, ask, askedAt, cutOff, hangsOn, move, putBack, rename, spare, turn, withoutUnused } from '../../resources/js/key/edit';
import { river } from '../../resources/js/key/river';
import { asked, margin, sort, spreadOf, UNASKED, wayOf, YES, type KeyDocument } from '../../resources/js/key/sort';

interface Vectors {
    key: KeyDocument;
    columns: Record<string, (number | null)[]>;
    shares: (number | null)[];
    pixels: number[];
    codes: number[];
    ways: Record<string, Record<'yes' | 'no' | 'none', [number, number]>>;
}
const told = JSON.parse(readFileSync('core/tests/fixtures/key_vectors.json', 'utf8')) as Vectors;
const column = (values: (number | null)[]) => Float64Array.from(values, (value) => value ?? NaN);
const sorted = sort(
    told.key,
    told.pixels,
    (measure) => column(told.columns[measure]!),
    () => column(told.shares),
);

test('cases go where a plain reading and the core send them', () => {
    expect([...sorted.codes]).toEqual(told.codes);
    for (const [couplet, ways] of Object.entries(told.ways))
        for (const side of ['yes', 'no', 'none'] as const)
            expect([sorted.ways.get(couplet)![side].cases, sorted.ways.get(couplet)![side].pixels], `${couplet} ${side}`).toEqual(ways[side]);
    expect(asked(told.key).map((one) => one.id)).toEqual(['water', 'green', 'lost', 'taught']);
    expect(sorted.answers.has('spare')).toBe(false);
});

test('the way of a case is told couplet by couplet, and by how much it answered', () => {
    const place = told.codes.indexOf(8);
    expect(wayOf(told.key, sorted, place).map(({ couplet }) => couplet.id)).toEqual(['water', 'green', 'lost']);
    const lost = told.key.couplets.find((one) => one.id === 'lost')!;
    expect(margin(lost, 0.3)).toBeCloseTo(0.05);
    expect(margin(lost, 0.7)).toBeCloseTo(0.05);
});

test('what a limit stands on is counted in pixels', () => {
    const answers = sorted.answers.get('water')!;
    const spread = spreadOf(column(told.columns['ndwi()']!), told.pixels, answers)!;
    const { yes, no } = told.ways.water!;
    expect(spread.counts.reduce((sum, count) => sum + count, 0)).toBe(yes[1] + no[1]);
    expect(spread.yes).toBeCloseTo(yes[1] / (yes[1] + no[1]));
    expect(spread.quartiles[0]).toBeLessThanOrEqual(spread.quartiles[1]!);
    expect(spreadOf([], [], new Int8Array())).toBeNull();
});

test('values that have not come yet stop what waits for them, and a circle ends', () => {
    const waiting = sort(
        told.key,
        told.pixels,
        (measure) => (measure === 'nir' ? null : column(told.columns[measure]!)),
        () => null,
    );
    expect([...waiting.waiting]).toEqual(['green', 'taught']);
    expect([...waiting.answers.get('lost')!].every((answer) => answer === UNASKED)).toBe(true);
    const circle: KeyDocument = { classes: [], couplets: [{ id: 'a', measure: 'x', least: 0, yes: { couplet: 'a' }, no: null }] };
    expect(
        sort(
            circle,
            [1],
            () => [1],
            () => null,
        ).answers.get('a')![0],
    ).toBe(YES);
    expect(asked(circle)).toHaveLength(1);
});

test('a hundred thousand segments follow ten couplets', () => {
    const count = 100_000;
    const values = Float64Array.from({ length: count }, (_, i) => (i * 7919) % 1000);
    const couplets = Array.from({ length: 10 }, (_, k) => ({
        id: `c${k}`,
        measure: 'x',
        least: 900 - 80 * k,
        yes: { class: 'a' },
        no: k < 9 ? { couplet: `c${k + 1}` } : null,
    }));
    const key: KeyDocument = { classes: [{ value: 1, name: 'a', colour: '#000000' }], couplets };
    const { codes, ways } = sort(
        key,
        new Float64Array(count).fill(1),
        () => values,
        () => null,
    );
    expect(codes.reduce((sum, code) => sum + code, 0)).toBe(values.filter((value) => value >= 180).length);
    expect(ways.get('c9')!.no.cases).toBe(values.filter((value) => value < 180).length);
});

const a: KeyDocument = {
    classes: [
        { value: 1, name: 'water', colour: '#0000ff' },
        { value: 2, name: 'green', colour: '#00ff00' },
    ],
    couplets: [
        { id: 'water', measure: 'ndwi', least: 0, yes: { class: 'water' }, no: { couplet: 'green' } },
        { id: 'green', measure: 'ndvi', least: 0.4, yes: { class: 'green' }, no: null },
    ],
    rules: [{ rule: 'fill', with: 'water', of: ['green'] }],
};

test('questions are added at an end, cut off, put back and moved', () => {
    const before = JSON.stringify(a);
    const more = ask(a, { couplet: 'green', side: 'yes' }, { question: 'Did it lose its green?', measure: 'fall', least: 0.1 }, 'lost');
    expect(answerAt(more, { couplet: 'green', side: 'yes' })).toEqual({ couplet: 'did-it-lose-its-green' });
    expect(more.couplets[2]).toMatchObject({ yes: { class: 'lost' }, no: { class: 'green' } });
    expect(more.classes[2]).toMatchObject({ value: 3, name: 'lost' });

    const cut = cutOff(more, 'green');
    expect(asked(cut).map((one) => one.id)).toEqual(['water']);
    expect(spare(cut).map((one) => one.id)).toEqual(['green']);
    expect(asked(putBack(cut, 'green', { couplet: 'water', side: 'yes' })).map((one) => one.id)).toEqual(['water', 'green', 'did-it-lose-its-green']);

    const headless = cutOff(more, 'water');
    expect(headless.couplets[0]!.id).toBe('green');
    expect(spare(headless).map((one) => one.id)).toEqual(['water']);
    // before the first question again: what was asked goes on where it leads nowhere
    expect(asked(putBack(headless, 'water', null)).map((one) => one.id)).toEqual(['water', 'green', 'did-it-lose-its-green']);

    const moved = move(more, 'did-it-lose-its-green', { couplet: 'green', side: 'no' });
    expect(askedAt(moved, 'did-it-lose-its-green')).toEqual({ couplet: 'green', side: 'no' });
    expect(hangsOn(more, { couplet: 'did-it-lose-its-green', side: 'no' }, 'green')).toBe(true);
    expect(hangsOn(more, { couplet: 'water', side: 'yes' }, 'green')).toBe(false);
    expect(JSON.stringify(a)).toBe(before);
});

test('classes keep their places under another name, and go when nothing leads to them', () => {
    const named = rename(a, 'water', 'sea');
    expect([named.couplets[0]!.yes, named.rules![0]!.with]).toEqual([{ class: 'sea' }, 'sea']);
    expect(rename(a, 'water', 'green')).toBe(a);
    expect(withoutUnused({ ...a, rules: [], couplets: a.couplets.slice(1) }).classes.map((one) => one.name)).toEqual(['green']);
    expect(turn(a, 'water').couplets[0]).toMatchObject({ yes: { couplet: 'green' }, no: { class: 'water' } });
});

test('the river is as wide as what flows there, and its arms do not cross', () => {
    const values = { ndwi: [1, 1, -1, -1, -1, NaN], ndvi: [0, 0, 0.5, 0.6, 0.1, 0] };
    const pixels = [10, 10, 30, 20, 20, 10];
    const found = sort(
        a,
        pixels,
        (measure) => values[measure as 'ndwi'],
        () => null,
    );
    const { arms, forks, height } = river(a, found, { cases: 6, pixels: 100 }, { width: 500, height: 240 });
    expect(forks.map((fork) => fork.couplet.id)).toEqual(['water', 'green']);
    const wide = (id: string) => {
        const { to } = arms.find((arm) => arm.id === id)!;
        return to[2] - to[1];
    };
    expect(wide('green/yes') / wide('water/yes')).toBeCloseTo(2.5);
    expect(wide('water/none') / wide('water/yes')).toBeCloseTo(0.5);
    const ends = arms.filter((arm) => arm.into === null).sort((one, other) => one.to[1] - other.to[1]);
    expect(ends.map((arm) => arm.id)).toEqual(['water/yes', 'green/yes', 'green/no', 'water/none']);
    ends.slice(1).forEach((arm, i) => expect(arm.to[1]).toBeGreaterThan(ends[i]!.to[2] + 12));
    expect(ends[ends.length - 1]!.to[2]).toBeLessThanOrEqual(height);
    // what leaves a fork lies on what reached it
    const [reach] = arms.filter((arm) => arm.into === 'green');
    const leave = arms.filter((arm) => arm.at?.couplet === 'green');
    expect(leave[0]!.from[1]).toBeCloseTo(reach!.to[1]);
    expect(leave[leave.length - 1]!.from[2]).toBeCloseTo(reach!.to[2]);
    expect(arms.find((arm) => arm.id === 'green/yes')!.colour).toBe('#00ff00');
});
