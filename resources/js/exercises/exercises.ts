import firstMap from '../../exercises/first-map.json';
import howGood from '../../exercises/how-good.json';
import whatChanged from '../../exercises/what-changed.json';

/** When a task is done, by what stands on the bench then. */
export type Done =
    | { stage: string }
    | { kind: string }
    | { setting: string; is?: unknown; isNot?: unknown }
    | { tried: string }
    | { ran: string }
    | { labelled: number }
    | { pegs: number };

export interface Task {
    text: string;
    /** The way by keys, where it is another. */
    keys?: string;
    /** Controls that it speaks of, the nearest to the goal first; the first that is there is marked. */
    marks: string[];
    done: Done;
}

/** A short exercise on the demo data; `prepared` steps are run by the server when it is begun. */
export interface Exercise {
    name: string;
    title: string;
    sentence: string;
    prepared: unknown[];
    tasks: Task[];
    end: string;
}

export const exercises: Exercise[] = [firstMap, whatChanged, howGood];

/** What tasks look at. */
export interface Seen {
    stage: string;
    kind: string | null;
    valueOf: (setting: string) => unknown;
    isTried: boolean;
    ran: Set<string>;
    labelled: number;
    pegs: number;
}

export function isDone(done: Done, seen: Seen): boolean {
    if ('stage' in done) return seen.stage === done.stage;
    if ('kind' in done) return seen.kind === done.kind;
    if ('tried' in done) return seen.kind === done.tried && seen.isTried;
    if ('ran' in done) return seen.ran.has(done.ran);
    if ('labelled' in done) return seen.labelled >= done.labelled;
    if ('pegs' in done) return seen.pegs >= done.pegs;
    const value = seen.valueOf(done.setting);
    return 'is' in done ? value === done.is : value !== done.isNot;
}
