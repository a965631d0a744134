import { ref } from 'vue';

export interface Doing {
    what: string;
    undo: () => Promise<unknown>;
    redo: () => Promise<unknown>;
}

/**
 * What was done and can be undone, one after the other: who is quicker than the server loses nothing.
 * `act` does something and gives undefined when that went wrong; `say` tells what became of it.
 */
export function useUndo(act: <T>(action: () => Promise<T>) => Promise<T | undefined>, say: (message: string) => void) {
    const done: Doing[] = [];
    const undone: Doing[] = [];
    const counts = ref({ undo: 0, redo: 0 });

    let last: Promise<unknown> = Promise.resolve();
    function inTurn(work: () => Promise<void>): Promise<void> {
        const next = last.then(work).finally(() => (counts.value = { undo: done.length, redo: undone.length }));
        last = next.catch(() => undefined);
        return next;
    }
    const could = async (action: () => Promise<unknown>) => Boolean(await act(async () => (await action(), true)));

    /** Does what can be undone; what could not be done is not remembered. Whether it could. */
    async function remember(doing: Doing): Promise<boolean> {
        let isDone = false;
        await inTurn(async () => {
            isDone = await could(doing.redo);
            if (!isDone) return;
            done.push(doing);
            undone.length = 0;
        });
        return isDone;
    }

    /** What could not be undone stays done, and can be tried again. */
    const undo = () =>
        inTurn(async () => {
            const doing = done[done.length - 1];
            if (!doing || !(await could(doing.undo))) return;
            undone.push(done.pop()!);
            say(`Undone: ${doing.what}`);
        });

    const redo = () =>
        inTurn(async () => {
            const doing = undone[undone.length - 1];
            if (!doing || !(await could(doing.redo))) return;
            done.push(undone.pop()!);
            say(`Done again: ${doing.what}`);
        });

    return { counts, remember, undo, redo };
}
