import type { RasterItem } from '../api/client';

/** The word that is being typed: where it begins, and what of it there is before the caret. */
export function wordBefore(text: string, caret: number): { from: number; word: string } {
    const word = /[a-z][a-z0-9_.]*$/i.exec(text.slice(0, caret))?.[0] ?? '';
    return { from: caret - word.length, word };
}

/** Words that begin so; none where nothing but the word itself is left. */
export function completions(words: string[], word: string, most = 8): string[] {
    if (!word) return [];
    const begun = words.filter((one) => one.startsWith(word) && one !== word);
    return begun.slice(0, most);
}

/** Names of bands as a formula reads them: bare of one image, behind its name of several; an image of one band goes by its name alone too. */
export function bandNames(images: { name: string; item: RasterItem | null }[]): string[] {
    return images.flatMap(({ name, item }) => {
        const bands = (item?.raster.bands ?? []).map((band) => band.role ?? `band${band.number}`);
        return images.length === 1 ? bands : [...(bands.length === 1 ? [name] : []), ...bands.map((band) => `${name}.${band}`)];
    });
}

/** Where a mistake lies: the word or sign at a line and character, both from 1. Lines are parted by semicolons too. */
export function mistake(text: string, at: { line: number; character: number }): { from: number; to: number } {
    let from = 0;
    for (let line = 1; line < at.line; line++) {
        const end = text.slice(from).search(/[\n;]/);
        if (end < 0) break;
        from += end + 1;
    }
    from = Math.min(text.length, from + at.character - 1);
    const there = /^(?:[a-z0-9_.%]+|[<>=!]=|[^\n])/i.exec(text.slice(from))?.[0] ?? '';
    return { from, to: from + there.length };
}
