import table from '../../../core/resources/class-colours.json';

/** The colour that a class's name suggests; the same list and the same rule as in the core. */
export function suggestedColour(name: string): string | null {
    for (const word of name.toLowerCase().match(/\p{L}+/gu) ?? []) {
        const found = table.names.find((one) => one.words.includes(word));
        if (found) return found.colour;
    }
    return null;
}

/** Colours of classes: those chosen, else what the names suggest, else the next of the palette. */
export function classColours(names: string[], given: (string | undefined)[]): string[] {
    let next = 0;
    return names.map((name, i) => given[i] ?? suggestedColour(name) ?? table.palette[next++ % table.palette.length]!);
}
