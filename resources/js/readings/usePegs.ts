import { api, must, type Peg } from '../api/client';
import type { StudyStore } from '../bench/useStudy';

/** Pegs are dropped, moved, named and taken away; all but their names can be undone. */
export function usePegs(id: number, store: StudyStore) {
    const byLetter = (letter: string): Peg | undefined => store.study.value?.pegs.find((peg) => peg.letter === letter);

    async function add(x: number, y: number): Promise<void> {
        let letter: string | undefined;
        await store.remember({
            what: 'peg dropped',
            redo: async () => {
                letter = (await must(api.POST('/studies/{study}/pegs', { params: { path: { study: id } }, body: { x, y, letter } }))).letter;
            },
            undo: async () => {
                const peg = byLetter(letter!);
                if (peg) await must(api.DELETE('/pegs/{peg}', { params: { path: { peg: peg.id } } }));
            },
        });
    }

    async function remove(peg: Peg): Promise<void> {
        await store.remember({
            what: `peg ${peg.letter} removed`,
            redo: async () => {
                const now = byLetter(peg.letter);
                if (now) await must(api.DELETE('/pegs/{peg}', { params: { path: { peg: now.id } } }));
            },
            undo: () =>
                must(api.POST('/studies/{study}/pegs', { params: { path: { study: id } }, body: { x: peg.x, y: peg.y, letter: peg.letter, name: peg.name } })),
        });
    }

    async function move(peg: Peg, x: number, y: number): Promise<void> {
        const to = (place: { x: number; y: number }) => async () => {
            const now = byLetter(peg.letter);
            if (now) await must(api.PATCH('/pegs/{peg}', { params: { path: { peg: now.id } }, body: place }));
        };
        await store.remember({ what: `peg ${peg.letter} moved`, redo: to({ x, y }), undo: to({ x: peg.x, y: peg.y }) });
    }

    async function name(peg: Peg, text: string): Promise<void> {
        await store.act(() => must(api.PATCH('/pegs/{peg}', { params: { path: { peg: peg.id } }, body: { name: text || null } })));
    }

    return { add, remove, move, name };
}
