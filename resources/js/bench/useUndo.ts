import { ref } from 'vue';

export interface Doing<Act = never> {
    what: string;
    undo: () => Promise<unknown>;
    redo: () => Promise<unknown>;
    /** The same as data, where it is to outlive the page. */
    kept?: { undo: Act[]; redo: Act[] };
}

type Kept<Act> = { what: string; undo: Act[]; redo: Act[] };

/** Where what was done is kept over a reload, and how it is done from there. */
export interface Memory<Act> {
    read: () => { done: Kept<Act>[]; undone: Kept<Act>[] };
    write: (kept: { done: Kept<Act>[]; undone: Kept<Act>[] }) => void;
    perform: (acts: Act[], back: Act[]) => Promise<unknown>;
}

/** How something is done: plainly, or whatever somebody else changed meanwhile. */
export type By = (action: () => Promise<unknown>) => Promise<unknown>;
const plainly: By = (action) => action();

/**
 * What was done and can be undone, one after the other: who is quicker than the server loses nothing.
 * `act` does something and gives undefined when that went wrong, after which it may be done again, in its turn and in some other way
 * (`by`); `say` tells what became of it.
 */
export function useUndo<Act = never>(
    act: <T>(action: () => Promise<T>, again: (by: By) => Promise<unknown>) => Promise<T | undefined>,
    say: (message: string) => void,
    memory?: Memory<Act>,
) {
    const revived = ({ what, undo, redo }: Kept<Act>): Doing<Act> => ({
        what,
        undo: () => memory!.perform(undo, redo),
        redo: () => memory!.perform(redo, undo),
        kept: { undo, redo },
    });
    const before = memory?.read() ?? { done: [], undone: [] };
    const done: Doing<Act>[] = before.done.map(revived);
    const undone: Doing<Act>[] = before.undone.map(revived);
    const counts = ref({ undo: done.length, redo: undone.length });
    const told = (list: Doing<Act>[]) => list.flatMap(({ what, kept }) => (kept ? [{ what, ...kept }] : []));

    let last: Promise<unknown> = Promise.resolve();
    function inTurn(work: () => Promise<void>): Promise<void> {
        const next = last.then(work).finally(() => {
            counts.value = { undo: done.length, redo: undone.length };
            memory?.write({ done: told(done), undone: told(undone) });
        });
        last = next.catch(() => undefined);
        return next;
    }
    const could = async (action: () => Promise<unknown>, again: (by: By) => Promise<unknown>) => Boolean(await act(async () => (await action(), true), again));

    /** Does what can be undone; what could not be done is not remembered. Whether it could. */
    async function remember(doing: Doing<Act>, by = plainly): Promise<boolean> {
        let isDone = false;
        await inTurn(async () => {
            isDone = await could(
                () => by(doing.redo),
                (other) => remember(doing, other),
            );
            if (!isDone) return;
            done.push(doing);
            undone.length = 0;
        });
        return isDone;
    }

    /** What could not be undone stays done, and can be tried again. */
    const undo = (by = plainly): Promise<void> =>
        inTurn(async () => {
            const doing = done[done.length - 1];
            if (!doing || !(await could(() => by(doing.undo), undo))) return;
            undone.push(done.pop()!);
            say(`Undone: ${doing.what}`);
        });

    const redo = (by = plainly): Promise<void> =>
        inTurn(async () => {
            const doing = undone[undone.length - 1];
            if (!doing || !(await could(() => by(doing.redo), redo))) return;
            done.push(undone.pop()!);
            say(`Redone: ${doing.what}`);
        });

    return { counts, remember, undo, redo };
}
