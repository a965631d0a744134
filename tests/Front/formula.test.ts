import { expect, test } from 'vitest';
import type { RasterItem } from '../../resources/js/api/client';
import { bandNames, completions, mistake, wordBefore } from '../../resources/js/desk/formula';
import { length, pixelSize } from '../../resources/js/plots/format';

const item = (...roles: (string | null)[]) => ({ raster: { bands: roles.map((role, i) => ({ number: i + 1, role })) } }) as unknown as RasterItem;

test('the word before the caret is completed by names that begin so', () => {
    expect(wordBefore('a = before.ni + 2', 13)).toEqual({ from: 4, word: 'before.ni' });
    expect(wordBefore('a = (', 5).word).toBe('');
    const words = ['nir', 'ndvi()', 'ndwi()', 'red'];
    expect(completions(words, 'nd')).toEqual(['ndvi()', 'ndwi()']);
    expect(completions(words, 'red')).toEqual([]);
    expect(completions(words, '')).toEqual([]);
});

test('bands go bare of one image, and behind its name of several', () => {
    expect(bandNames([{ name: 'a', item: item('red', null) }])).toEqual(['red', 'band2']);
    expect(
        bandNames([
            { name: 'before', item: item('red', 'nir') },
            { name: 'cover', item: item(null) },
        ]),
    ).toEqual(['before.red', 'before.nir', 'cover', 'cover.band1']);
});

test('a mistake is found by line and character, whatever parts the lines', () => {
    const text = 'a = red; b = nix\nc = (a + b';
    const of = (line: number, character: number) => {
        const { from, to } = mistake(text, { line, character });
        return text.slice(from, to);
    };
    expect(of(2, 6)).toBe('nix');
    expect(of(1, 5)).toBe('red');
    expect(of(3, 5)).toBe('(');
    // it ends too early: nothing is there to mark
    expect(of(3, 11)).toBe('');
    expect(mistake(text, { line: 9, character: 99 }).from).toBeLessThanOrEqual(text.length);
});

test('lengths and pixels are told in units that suit them', () => {
    expect([length(20), length(1234.56)]).toEqual(['20 m', '1.2346 km']);
    const pixel = { width: 20, height: 20, unit: 'm', metres: null };
    expect(pixelSize(pixel)).toBe('20 m');
    expect(pixelSize({ ...pixel, height: 30 })).toBe('20 × 30 m');
    expect(pixelSize({ width: 0.0001, height: 0.0001, unit: '°', metres: [6.53, 11.1] })).toBe('0.0001° (6.53 × 11.1 m)');
    expect(pixelSize({ ...pixel, unit: null })).toBe('');
});
