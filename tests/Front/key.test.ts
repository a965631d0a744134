import { readFileSync } from 'node:fs';
import { expect, test } from 'vitest';
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
    expect(sort(circle, [1], () => [1], () => null).answers.get('a')![0]).toBe(YES);
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
    const { codes, ways } = sort(key, new Float64Array(count).fill(1), () => values, () => null);
    expect(codes.reduce((sum, code) => sum + code, 0)).toBe(values.filter((value) => value >= 180).length);
    expect(ways.get('c9')!.no.cases).toBe(values.filter((value) => value < 180).length);
});
