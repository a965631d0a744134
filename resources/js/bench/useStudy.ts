import { useDocumentVisibility, useIntervalFn } from '@vueuse/core';
import { computed, ref, shallowRef } from 'vue';
import { api, must, Problem, type Item, type Kind, type Step, type Study } from '../api/client';
import { withNews } from './news';

export interface Doing {
    what: string;
    undo: () => Promise<unknown>;
    redo: () => Promise<unknown>;
}

/** A study as the server knows it, kept up to date, with the undoing of what is drawn. */
export function useStudy(id: number) {
    const study = shallowRef<Study | null>(null);
    const kinds = shallowRef<Kind[]>([]);
    const problem = ref('');
    const message = ref('');
    const trials = shallowRef<Item[]>([]);
    const undone: Doing[] = [];
    const done: Doing[] = [];
    const counts = ref({ undo: 0, redo: 0 });

    /** What is new since the version that is here. */
    async function ask(): Promise<void> {
        try {
            const news = await must(api.GET('/studies/{study}/news', { params: { path: { study: id }, query: { since: study.value?.version } } }));
            if (news) study.value = withNews(study.value, news);
            problem.value = '';
        } catch (error) {
            problem.value = (error as Error).message;
        }
    }

    const busy = computed(() => study.value?.steps.some((step) => step.state === 'waiting' || step.state === 'running') ?? false);
    const visibility = useDocumentVisibility();
    let round = 0;
    let asking = false;
    useIntervalFn(async () => {
        // twice a second while something runs, else every two seconds; one question at a time, none from a page that nobody sees
        if (!study.value || asking || visibility.value === 'hidden' || !(busy.value || round++ % 4 === 0)) return;
        asking = true;
        await ask();
        asking = false;
    }, 500);

    async function start(): Promise<void> {
        try {
            [kinds.value] = await Promise.all([must(api.GET('/kinds')), ask()]);
        } catch (error) {
            problem.value = (error as Error).message;
        }
    }

    /** Runs an action and tells what went wrong; undefined when it did. */
    async function act<T>(action: () => Promise<T>): Promise<T | undefined> {
        try {
            const result = await action();
            await ask();
            return result;
        } catch (error) {
            message.value = (error as Problem).message;
            return undefined;
        }
    }

    /** One after the other: who is quicker than the server loses nothing. */
    let last: Promise<unknown> = Promise.resolve();
    function inTurn(work: () => Promise<void>): Promise<void> {
        const next = last.then(work);
        last = next.catch(() => undefined);
        return next;
    }

    /** Does what can be undone; what could not be done is not remembered. Whether it could. */
    async function remember(doing: Doing): Promise<boolean> {
        let isDone = false;
        await inTurn(async () => {
            if (!(await act(async () => (await doing.redo(), true)))) return;
            isDone = true;
            done.push(doing);
            undone.length = 0;
            count();
        });
        return isDone;
    }

    function undo(): Promise<void> {
        return inTurn(async () => {
            const doing = done.pop();
            if (!doing || !(await act(async () => (await doing.undo(), true)))) return count();
            undone.push(doing);
            message.value = `Undone: ${doing.what}`;
            count();
        });
    }

    function redo(): Promise<void> {
        return inTurn(async () => {
            const doing = undone.pop();
            if (!doing || !(await act(async () => (await doing.redo(), true)))) return count();
            done.push(doing);
            message.value = `Done again: ${doing.what}`;
            count();
        });
    }

    function count(): void {
        counts.value = { undo: done.length, redo: undone.length };
    }

    const steps = computed<Step[]>(() => study.value?.steps ?? []);

    return { study, steps, kinds, problem, message, trials, counts, busy, start, ask, act, remember, undo, redo };
}

export type StudyStore = ReturnType<typeof useStudy>;
