import { expect, test } from 'vitest';
import { glossary, parseGlossary, withTerms } from '../../resources/js/glossary/glossary';

test('entries of the page are read in their sections, links become their text', () => {
    const page = '# Glossary\n\n## One\n\n- **Mixed pixel.** Covers [two](x.md) classes. Somebody 1999.\n\n## Two\n\n- **Peg.** A place.\n';
    expect(parseGlossary(page)).toEqual([
        { title: 'One', entries: [{ term: 'Mixed pixel', definition: 'Covers two classes. Somebody 1999.' }] },
        { title: 'Two', entries: [{ term: 'Peg', definition: 'A place.' }] },
    ]);
});

test('every term of the trade has a source, and the own words come last', () => {
    const trade = glossary.slice(0, -1).flatMap(({ entries }) => entries);
    expect(trade.length).toBeGreaterThan(30);
    expect(trade.filter(({ definition }) => !/\b(1[89]|20)\d\d\b|no source|indices\.md|Lillesand|OGC/.test(definition)).map(({ term }) => term)).toEqual([]);
    expect(glossary.at(-1)!.title).toBe("Chorometra's own words");
});

test('terms in a sentence lead to the glossary, once each and as whole words', () => {
    const pieces = withTerms('Reflectance of a segmented image; surface reflectance, then a random forest.');
    expect(pieces.filter(({ term }) => term).map(({ text, term }) => [text, term])).toEqual([
        ['Reflectance', 'Reflectance'],
        ['random forest', 'Random forest'],
    ]);
    expect(pieces.map(({ text }) => text).join('')).toBe('Reflectance of a segmented image; surface reflectance, then a random forest.');
});
