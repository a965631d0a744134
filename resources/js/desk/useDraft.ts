import { computed, ref, toRaw } from 'vue';
import { api, must, Problem, type Figure, type Inputs, type Item, type Settings, type Step } from '../api/client';
import type { Bench, Draft } from '../bench/useBench';

/** The step on the desk as it is being set up: kept in this browser until it is run, tried or put back. */
export function useDraft(bench: Bench) {
    const key = computed(() => bench.draftKey());
    const saved = computed<Draft>(() => ({ inputs: (bench.step.value?.inputs ?? {}) as Inputs, settings: (bench.step.value?.settings ?? {}) as Settings, within: bench.step.value?.within ?? false }));
    const draft = computed<Draft>(() => bench.drafts.value[key.value] ?? saved.value);
    const changed = computed(() => bench.step.value !== null && JSON.stringify(draft.value) !== JSON.stringify(saved.value));
    const problem = ref<{ text: string; about: string | null } | null>(null);
    const trial = ref<{ items: Item[]; figures: Record<string, unknown>; report: Figure[]; reduced: number } | null>(null);
    const trying = ref(false);

    function edit(change: (draft: Draft) => void): void {
        const copy = JSON.parse(JSON.stringify(toRaw(draft.value))) as Draft;
        change(copy);
        bench.drafts.value = { ...bench.drafts.value, [key.value]: copy };
        problem.value = null;
        trial.value = null;
    }

    function set(name: string, value: unknown): void {
        edit((copy) => {
            if (value === null || value === '' || (Array.isArray(value) && !value.length)) delete copy.settings[name];
            else copy.settings[name] = value;
        });
    }

    const valueOf = (name: string): unknown => draft.value.settings[name] ?? bench.kind.value?.settings.find((setting) => setting.name === name)?.default;

    function putBack(): void {
        const rest = { ...bench.drafts.value };
        delete rest[key.value];
        bench.drafts.value = rest;
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
        const { kind, step } = bench;
        const body = { inputs: draft.value.inputs, settings: draft.value.settings, within: draft.value.within, run: true };
        const made = await guarded<Step>(() => (step.value
            ? must(api.PATCH('/steps/{step}', { params: { path: { step: step.value.id } }, body }))
            : must(api.POST('/studies/{study}/steps', { params: { path: { study: bench.id } }, body: { kind: kind.value!.id, ...body } }))));
        if (!made) return;
        putBack();
        await bench.ask();
        bench.desk.value = { step: made.id };
    }

    async function stop(): Promise<void> {
        await guarded(() => must(api.POST('/steps/{step}/stop', { params: { path: { step: bench.step.value!.id } } })));
        await bench.ask();
    }

    async function attempt(): Promise<void> {
        trying.value = true;
        const mine = key.value;
        const result = await guarded(() => must(api.POST('/studies/{study}/trials', {
            params: { path: { study: bench.id } },
            body: { kind: bench.kind.value!.id, inputs: draft.value.inputs, settings: draft.value.settings, within: draft.value.within, window: bench.shared.visible() },
        })));
        trying.value = false;
        if (!result || mine !== key.value) return;
        trial.value = result;
        bench.trials.value = result.items;
        bench.live.value = null;
        bench.showStep(draft.value.inputs, result.items.map((item) => ({ step: -1, output: item.output })));
    }

    return { draft, changed, problem, trial, trying, edit, set, valueOf, putBack, run, stop, attempt };
}

export type DraftStore = ReturnType<typeof useDraft>;
