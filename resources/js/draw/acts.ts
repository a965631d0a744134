import { api, ifMatch, must, type Mark } from '../api/client';
import type { Plain } from './corners';

type Body = { geometry?: Plain; class?: string | null; note?: string | null; skipped?: boolean };

/** What is done to marks, as data: it is kept, and can be undone after a reload too. Each may say what state it is done to. */
export type MarkAct = (
    | { does: 'put'; drawing: number; key: string; body: Body }
    | { does: 'patch'; key: string; body: Body }
    | { does: 'drop'; key: string }
    | { does: 'replace'; drawing: number; marks: Pick<Mark, 'key' | 'geometry' | 'class' | 'note'>[] }
) & { match?: string | number };

type Stamped = { stamp?: string | number };
type Of<Does> = Extract<MarkAct, { does: Does }>;

const answers = {
    put: ({ drawing, key, body, match }: Of<'put'>) =>
        must(
            api.PUT('/drawings/{drawing}/marks/{key}', {
                params: { path: { drawing, key } },
                body: body as { geometry: { type: string; coordinates: unknown[] } },
                ...ifMatch(match),
            }),
        ),
    patch: ({ key, body, match }: Of<'patch'>) =>
        must(api.PATCH('/marks/{mark}', { params: { path: { mark: key } }, body: body as object, ...ifMatch(match) })),
    drop: ({ key, match }: Of<'drop'>) => must(api.DELETE('/marks/{mark}', { params: { path: { mark: key } }, ...ifMatch(match) })),
    replace: ({ drawing, marks, match }: Of<'replace'>) =>
        must(
            api.PUT('/drawings/{drawing}/marks', {
                params: { path: { drawing } },
                body: { marks: marks.map(({ key, geometry, class: name, note }) => ({ key, geometry: geometry!, class: name, note })) },
                ...ifMatch(match),
            }),
        ),
};

/** States that acts of this page have made, until a list of marks that was asked for later tells them. */
const made = new Map<string, string | number>();
let turns = 0;
/** How many acts there were: a list that was asked for at another number may be older than what was done since. */
export const actsSoFar = () => turns;
export const forgetMade = (keys: string[]) => keys.forEach((key) => made.delete(key));

const nameOf = (act: MarkAct) => (act.does === 'replace' ? `drawing ${act.drawing}` : act.key);

/**
 * One after the other. What is done is done to the state that was seen; what takes it back, to the state that was made: somebody else's
 * change in between is refused by the server, with a sentence.
 */
export async function perform(acts: MarkAct[], back: MarkAct[] = []): Promise<Mark[]> {
    const marks: Mark[] = [];
    for (const act of acts) {
        turns++;
        const name = nameOf(act);
        const done = (await (answers[act.does] as (one: MarkAct) => Promise<Stamped | undefined>)({ ...act, match: made.get(name) ?? act.match })) ?? {};
        turns++;
        if (done.stamp === undefined) made.delete(name);
        else made.set(name, done.stamp);
        for (const other of back) if (nameOf(other) === name) other.match = done.stamp;
        if (act.does === 'put' || act.does === 'patch') marks.push(done as Mark);
    }
    return marks;
}
