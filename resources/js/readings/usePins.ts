import { api, must, type Pin } from '../api/client';
import type { StudyStore } from '../bench/useStudy';

/** Pins are dropped, moved, named and taken away; all but their names can be undone. */
export function usePins(id: number, store: StudyStore) {
    const byLetter = (letter: string): Pin | undefined => store.study.value?.pins.find((pin) => pin.letter === letter);

    async function add(x: number, y: number): Promise<void> {
        let letter: string | undefined;
        await store.remember({
            what: 'pin dropped',
            redo: async () => {
                letter = (await must(api.POST('/studies/{study}/pins', { params: { path: { study: id } }, body: { x, y, letter } }))).letter;
            },
            undo: async () => {
                const pin = byLetter(letter!);
                if (pin) await must(api.DELETE('/pins/{pin}', { params: { path: { pin: pin.id } } }));
            },
        });
    }

    async function remove(pin: Pin): Promise<void> {
        await store.remember({
            what: `pin ${pin.letter} taken away`,
            redo: async () => {
                const now = byLetter(pin.letter);
                if (now) await must(api.DELETE('/pins/{pin}', { params: { path: { pin: now.id } } }));
            },
            undo: () => must(api.POST('/studies/{study}/pins', { params: { path: { study: id } }, body: { x: pin.x, y: pin.y, letter: pin.letter, name: pin.name } })),
        });
    }

    async function move(pin: Pin, x: number, y: number): Promise<void> {
        const to = (place: { x: number; y: number }) => async () => {
            const now = byLetter(pin.letter);
            if (now) await must(api.PATCH('/pins/{pin}', { params: { path: { pin: now.id } }, body: place }));
        };
        await store.remember({ what: `pin ${pin.letter} moved`, redo: to({ x, y }), undo: to({ x: pin.x, y: pin.y }) });
    }

    async function name(pin: Pin, text: string): Promise<void> {
        await store.act(() => must(api.PATCH('/pins/{pin}', { params: { path: { pin: pin.id } }, body: { name: text || null } })));
    }

    return { add, remove, move, name };
}
