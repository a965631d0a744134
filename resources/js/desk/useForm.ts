import { computed, ref, toRaw } from 'vue';
import { api, must, Problem, type Figure, type Inputs, type Item, type Settings, type Step } from '../api/client';
import type { Bench } from '../bench/useBench';
import type { Draft } from '../bench/useDesk';

/** The step on the desk as it is being set up: kept in this browser until it is run, tried or put back. */
export function useForm(bench: Bench) {
    const key = computed(() => bench.desk.draftKey());
    const saved = computed<Draft>(() => ({
        inputs: (bench.desk.step.value?.inputs ?? {}) as Inputs,
        settings: (bench.desk.step.value?.settings ?? {}) as Settings,
        within: bench.desk.step.value?.within ?? false,
    }));
    const draft = computed<Draft>(() => bench.desk.drafts.value[key.value] ?? saved.value);
    const changed = computed(() => bench.desk.step.value !== null && JSON.stringify(draft.value) !== JSON.stringify(saved.value));
    const problem = ref<{ text: string; about: string | null } | null>(null);
    const trial = ref<{ items: Item[]; figures: Record<string, unknown>; report: Figure[]; reduced: number } | null>(null);
    const trying = ref(false);

    /** What was tried no longer holds, unless it holds for any value of what changes. */
    function edit(change: (draft: Draft) => void, holds = false): void {
        const copy = JSON.parse(JSON.stringify(toRaw(draft.value))) as Draft;
        change(copy);
        bench.desk.drafts.value = { ...bench.desk.drafts.value, [key.value]: copy };
        problem.value = null;
        if (!holds) trial.value = null;
    }

    function set(name: string, value: unknown, holds = false): void {
        edit((copy) => {
            if (value === null || value === '' || (Array.isArray(value) && !value.length)) delete copy.settings[name];
            else copy.settings[name] = value;
        }, holds);
    }

    const valueOf = (name: string): unknown => draft.value.settings[name] ?? bench.desk.kind.value?.settings.find((setting) => setting.name === name)?.default;

    function putBack(): void {
        const rest = { ...bench.desk.drafts.value };
        delete rest[key.value];
        bench.desk.drafts.value = rest;
        problem.value = null;
        trial.value = null;
    }

    async function guarded<T>(action: () => Promise<T>): Promise<T | null> {
        problem.value = null;
        try {
            return await action();
        } catch (error) {
            problem.value = { text: (error as Problem).message, about: (error as Problem).about ?? null };
            return null;
        }
    }

    async function run(): Promise<void> {
        const { kind, step } = bench.desk;
        const body = { inputs: draft.value.inputs, settings: draft.value.settings, within: draft.value.within, run: true };
        const made = await guarded<Step>(() =>
            step.value
                ? must(api.PATCH('/steps/{step}', { params: { path: { step: step.value.id } }, body }))
                : must(api.POST('/studies/{study}/steps', { params: { path: { study: bench.id } }, body: { kind: kind.value!.id, ...body } })),
        );
        if (!made) return;
        putBack();
        await bench.store.ask();
        bench.desk.open.value = { step: made.id };
    }

    async function stop(): Promise<void> {
        await guarded(() => must(api.POST('/steps/{step}/stop', { params: { path: { step: bench.desk.step.value!.id } } })));
        await bench.store.ask();
    }

    async function attempt(): Promise<void> {
        trying.value = true;
        const mine = key.value;
        const result = await guarded(() =>
            must(
                api.POST('/studies/{study}/trials', {
                    params: { path: { study: bench.id } },
                    body: {
                        kind: bench.desk.kind.value!.id,
                        inputs: draft.value.inputs,
                        settings: draft.value.settings,
                        within: draft.value.within,
                        window: bench.views.shared.visible(),
                    },
                }),
            ),
        );
        trying.value = false;
        if (!result || mine !== key.value) return;
        trial.value = result;
        bench.store.trials.value = result.items;
        bench.views.live.value = null;
        bench.views.showStep(
            draft.value.inputs,
            result.items.map((item) => ({ step: -1, output: item.output })),
        );
    }

    return { draft, changed, problem, trial, trying, edit, set, valueOf, putBack, run, stop, attempt };
}

export type Form = ReturnType<typeof useForm>;
