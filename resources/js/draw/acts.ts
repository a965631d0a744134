import { api, must, type Mark } from '../api/client';
import type { Plain } from './corners';

type Body = { geometry?: Plain; class?: string | null; note?: string | null; skipped?: boolean };

/** What is done to marks, as data: it is kept, and can be undone after a reload too. */
export type MarkAct =
    | { does: 'put'; drawing: number; key: string; body: Body }
    | { does: 'patch'; key: string; body: Body }
    | { does: 'drop'; key: string }
    | { does: 'replace'; drawing: number; marks: Pick<Mark, 'key' | 'geometry' | 'class' | 'note'>[] };

const answers = {
    put: ({ drawing, key, body }: Extract<MarkAct, { does: 'put' }>) =>
        must(
            api.PUT('/drawings/{drawing}/marks/{key}', {
                params: { path: { drawing, key } },
                body: body as { geometry: { type: string; coordinates: unknown[] } },
            }),
        ),
    patch: ({ key, body }: Extract<MarkAct, { does: 'patch' }>) => must(api.PATCH('/marks/{mark}', { params: { path: { mark: key } }, body: body as object })),
    drop: ({ key }: Extract<MarkAct, { does: 'drop' }>) => must(api.DELETE('/marks/{mark}', { params: { path: { mark: key } } })),
    replace: ({ drawing, marks }: Extract<MarkAct, { does: 'replace' }>) =>
        must(
            api.PUT('/drawings/{drawing}/marks', {
                params: { path: { drawing } },
                body: { marks: marks.map(({ key, geometry, class: name, note }) => ({ key, geometry: geometry!, class: name, note })) },
            }),
        ),
};

/** One after the other. */
export async function perform(acts: MarkAct[]): Promise<void> {
    for (const act of acts) await (answers[act.does] as (one: MarkAct) => Promise<unknown>)(act);
}
