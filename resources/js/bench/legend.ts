import { api, ifMatch, must } from '../api/client';
import type { StudyStore } from './useStudy';

export type Classes = { name: string; colour: string }[];

/** The legend as it is wanted, in the place of the one that is shown; it can be undone, unless somebody else changed it since. */
export function setLegend(store: StudyStore, study: number, what: string, next: Classes): Promise<boolean> {
    const { legend: was, legendStamp } = store.study.value!;
    let match: string | undefined = legendStamp;
    const put = (classes: Classes) => async () => {
        const body = { classes: classes.map(({ name, colour }) => ({ name, colour })) };
        match = (await must(api.PUT('/studies/{study}/legend', { params: { path: { study } }, body, ...ifMatch(match) }))).stamp;
    };
    return store.remember({ what, redo: put(next), undo: put(was) });
}
