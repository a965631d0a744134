import { useDocumentVisibility, useIntervalFn } from '@vueuse/core';
import { computed, ref, shallowRef } from 'vue';
import { api, must, overwriting, Problem, type Item, type Kind, type Step, type Study } from '../api/client';
import { marksMemory } from '../draw/memory';
import { withNews } from './news';
import { useUndo, type By } from './useUndo';

/** A study as the server knows it, kept up to date, with the undoing of what is drawn. */
export function useStudy(id: number) {
    const study = shallowRef<Study | null>(null);
    const kinds = shallowRef<Kind[]>([]);
    const problem = ref('');
    const message = ref('');
    /** What somebody else changed while it was changed here, and how to put the change of this page in its place. */
    const conflict = shallowRef<{ text: string; overwrite: () => Promise<unknown> } | null>(null);
    const trials = shallowRef<Item[]>([]);

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

    /** Runs an action and tells what went wrong; undefined when it did. `again` is offered where somebody else's change stands against it. */
    async function act<T>(action: () => Promise<T>, again?: (by: By) => Promise<unknown>): Promise<T | undefined> {
        if (again) conflict.value = null;
        try {
            const result = await action();
            await ask();
            return result;
        } catch (error) {
            const { message: text, isOutdated } = error as Problem;
            if (isOutdated && again) {
                conflict.value = { text, overwrite: () => again(overwriting) };
                await ask();
            } else message.value = text;
            return undefined;
        }
    }

    const { counts, remember, undo, redo } = useUndo(act, (text) => (message.value = text), marksMemory(id));
    const steps = computed<Step[]>(() => study.value?.steps ?? []);

    return { study, steps, kinds, problem, message, conflict, trials, counts, busy, start, ask, act, remember, undo, redo };
}

export type StudyStore = ReturnType<typeof useStudy>;
