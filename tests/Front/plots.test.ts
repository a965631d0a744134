import { expect, test } from 'vitest';
import { hectares, number, pegColour, percent, reading, short, thousands, typedNumber } from '../../resources/js/plots/format';
import { scaleBar } from '../../resources/js/views/scaleBar';

test('numbers have the decimals that fit their size, and a true minus sign', () => {
    expect([number(0.123456), number(-12.3456), number(12345.6), number(7), number(NaN), number(null)]).toEqual(['0.1235', '−12.35', '12 346', '7', '–', '–']);
    expect(short(0.5)).toBe('0.5');
    expect(thousands('1234')).toBe('1234');
    expect(thousands('1234567.5')).toBe('1 234 567.5');
});

test('reflectance is told in per cent, all else in its own unit', () => {
    expect(reading(0.25, 'reflectance')).toBe('25 %');
    expect(reading(0.25, 'dB')).toBe('0.2500');
    expect(percent(0.1234)).toBe('12.3 %');
    expect(hectares(5)).toBe('5 ha');
    expect(hectares(5, 20000)).toBe('0.05000 km²');
});

test('5% is five where per cent are asked for, and 0.05 everywhere else', () => {
    expect([typedNumber('5%', '%'), typedNumber('5%'), typedNumber('5 %', 'm'), typedNumber('−2.5')]).toEqual([5, 0.05, 0.05, -2.5]);
    expect([typedNumber(''), typedNumber('%'), typedNumber('five')]).toEqual([NaN, NaN, NaN]);
});

test('pegs keep their colour, and begin anew after the last', () => {
    expect(pegColour('A')).toBe(pegColour('I'));
    expect(new Set([...'ABCDEFGH'].map(pegColour)).size).toBe(8);
});

test('a scale bar has a round length that fits', () => {
    expect(scaleBar(10)).toEqual({ label: '500 m', pixels: 50 });
    expect(scaleBar(30, 90)).toEqual({ label: '2 km', pixels: 2000 / 30 });
    expect(scaleBar(0.004).pixels).toBeLessThanOrEqual(90);
});
