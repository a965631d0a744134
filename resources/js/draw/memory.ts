import type { Memory } from '../bench/useUndo';
import { perform, type MarkAct } from './acts';

const MOST = 80;
/** Letters that are kept of a study. */
const ROOM = 1_000_000;

/** What was done to the marks of a study, kept in this browser so that a reload takes no way back away. */
export function marksMemory(study: number): Memory<MarkAct> {
    const place = `undo/${study}`;
    return {
        read() {
            try {
                const { done, undone } = JSON.parse(localStorage.getItem(place) ?? '') as ReturnType<Memory<MarkAct>['read']>;
                return { done, undone };
            } catch {
                return { done: [], undone: [] };
            }
        },
        write(kept) {
            let { done, undone } = { done: kept.done.slice(-MOST), undone: kept.undone.slice(-MOST) };
            let text = JSON.stringify({ done, undone });
            // what was done first is forgotten first
            while (text.length > ROOM && done.length + undone.length > 0) {
                [done, undone] = done.length ? [done.slice(1), undone] : [done, undone.slice(1)];
                text = JSON.stringify({ done, undone });
            }
            try {
                localStorage.setItem(place, text);
            } catch {
                // a full store keeps nothing; undoing goes on until the page is left
            }
        },
        perform,
    };
}
