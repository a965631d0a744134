import { expect, test } from 'vitest';
import type { Matrix } from '../../resources/js/api/client';
import { chiSquareAbove, chiSquareLimit } from '../../resources/js/change/chiSquare';
import { changesOf, layFlows, type Flow } from '../../resources/js/change/flows';
import { shareBelow, spreadOf, toLimit, toValue, usualLimits } from '../../resources/js/change/tails';
import { changesBetween } from '../../resources/js/check/changes';

test('chi-square as in tables (Abramowitz & Stegun 1964, table 26.8)', () => {
    for (const [freedom, probability, limit] of [
        [1, 0.05, 3.84146],
        [2, 0.01, 9.21034],
        [3, 0.05, 7.81473],
        [6, 0.01, 16.8119],
        [10, 0.5, 9.34182],
    ] as const) {
        expect(chiSquareAbove(limit, freedom)).toBeCloseTo(probability, 5);
        expect(chiSquareLimit(probability, freedom)).toBeCloseTo(limit, 3);
    }
    expect(chiSquareAbove(0, 3)).toBe(1);
});

const data = { minimum: -10, maximum: 10, counts: Array.from({ length: 20 }, () => 5), pixels: 100 };

test('a limit in deviations or percentiles lies where it should among the values, and back', () => {
    const ground = { data, middle: 1, deviation: 2 };
    expect(toValue(ground, 'deviations', -2)).toBe(-3);
    expect(toLimit(ground, 'deviations', 5)).toBe(2);
    expect(toValue(ground, 'percentiles', 25)).toBeCloseTo(-5);
    expect(toLimit(ground, 'percentiles', -5)).toBeCloseTo(25);
    expect(toValue(ground, 'values', 0.3)).toBe(0.3);
    expect(shareBelow(data, 4.5)).toBeCloseTo(0.725);
    expect(usualLimits(ground, 'deviations', true, true)).toEqual({ below: -3.5, above: 3.5 });
    expect(usualLimits(ground, 'values', false, false)).toEqual({ above: 5 });
    expect(usualLimits(null, 'percentiles', false, true)).toEqual({ below: 2.5, above: 97.5 });
});

test('middle and deviation of a histogram, which one far heap moves little where they are robust', () => {
    const { middle, deviation } = spreadOf(data, false);
    expect(middle).toBeCloseTo(0);
    expect(deviation).toBeCloseTo(Math.sqrt((20 ** 2 - 1) / 12), 3);
    const heap = { ...data, maximum: 90, counts: [...data.counts, ...Array.from({ length: 79 }, () => 0), 10], pixels: 110 };
    expect(Math.abs(spreadOf(heap, true).middle)).toBeLessThan(1.5);
    expect(spreadOf(heap, false).middle).toBeGreaterThan(7);
});

const flow = (from: string, to: string, share: number): Flow => ({ from, to, pixels: 100 * share, share });

test('bands between classes are as thick as what went there, and lie on their classes one after the other', () => {
    const classes = [
        { name: 'pasture', colour: '#9cc069' },
        { name: 'marsh', colour: '#7d8f4e' },
    ];
    const steps = [[flow('pasture', 'pasture', 0.5), flow('pasture', 'marsh', 0.2), flow('marsh', 'marsh', 0.3)]];
    const { blocks, ribbons } = layFlows({ dates: ['2031', '2033'], classes, steps, whole: steps[0]! }, 280, 204);
    expect(blocks.map(({ date, name, share }) => [date, name, Number(share.toFixed(3))])).toEqual([
        [0, 'pasture', 0.7],
        [0, 'marsh', 0.3],
        [1, 'pasture', 0.5],
        [1, 'marsh', 0.5],
    ]);
    // 204 pixels less one gap of 4
    expect(ribbons.map((one) => Math.round(one.width))).toEqual([100, 40, 60]);
    expect(ribbons[1]!.path.startsWith('M9 100C')).toBe(true);
    expect(blocks[1]!.y).toBeCloseTo(144);
    expect(changesOf(steps[0]!).map((one) => one.to)).toEqual(['marsh']);
});

test('classes of three dates stand in three columns', () => {
    const classes = [{ name: 'a', colour: '#000000' }];
    const steps = [[flow('a', 'a', 1)], [flow('a', 'a', 1)]];
    const { blocks, ribbons } = layFlows({ dates: ['1', '2', '3'], classes, steps, whole: steps[0]! }, 280, 100);
    expect(blocks).toHaveLength(3);
    expect(ribbons.map((one) => one.step)).toEqual([0, 1]);
});

test('what a label given anew changes', () => {
    const matrix = (overall: number, hectares: number) =>
        ({
            points: 20,
            overall,
            classes: [
                { class: 'marsh', hectares, share: 0.1 },
                { class: 'wood', hectares: 4, share: 0.2 },
            ],
        }) as unknown as Matrix;
    expect(changesBetween(matrix(0.9, 12), matrix(0.95, 10)).map(({ what, from, to }) => [what, from, to])).toEqual([
        ['overall', 0.9, 0.95],
        ['area of marsh', 12, 10],
    ]);
    expect(changesBetween(matrix(0.9, 12), matrix(0.9, 12))).toEqual([]);
});
