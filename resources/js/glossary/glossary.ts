import { ref } from 'vue';
import text from '../../../docs/glossary.md?raw';

export interface Entry {
    term: string;
    definition: string;
}
export interface Section {
    title: string;
    entries: Entry[];
}

/** Sections and entries of docs/glossary.md; links of the page lead nowhere here and become their text. */
export function parseGlossary(page: string): Section[] {
    return page
        .split(/^## /m)
        .slice(1)
        .map((part) => {
            const [title, ...lines] = part.split('\n');
            const entries = lines.flatMap((line) => {
                const found = /^- \*\*(.+?)\.\*\* (.+)$/.exec(line);
                return found ? [{ term: found[1]!, definition: found[2]!.replace(/\[(.+?)\]\(.+?\)/g, '$1') }] : [];
            });
            return { title: title!, entries };
        });
}

export const glossary = parseGlossary(text);

/** Forms in which the terms occur in a sentence, longest first. */
const forms = glossary
    .flatMap(({ entries }) => entries.map(({ term }) => term))
    .flatMap((term) => term.split(/, | and /).map((form) => ({ form: form.toLowerCase(), term })))
    .filter(({ form }) => form.length > 5)
    .sort((a, b) => b.form.length - a.form.length);
const pattern = new RegExp(`(?<![\\p{L}-])(${forms.map(({ form }) => form.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')).join('|')})(?![\\p{L}-])`, 'giu');

/** A text cut into pieces; those that are terms say which. The first occurrence of a term only. */
export function withTerms(sentence: string): { text: string; term: string | null }[] {
    const seen = new Set<string>();
    return sentence.split(pattern).map((piece) => {
        const term = forms.find(({ form }) => form === piece.toLowerCase())?.term ?? null;
        if (term === null || seen.has(term)) return { text: piece, term: null };
        seen.add(term);
        return { text: piece, term };
    });
}

/** The term at which the glossary is open, '' for its beginning; null where it is closed. */
export const glossaryAt = ref<string | null>(null);
