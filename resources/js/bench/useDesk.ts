import { useLocalStorage } from '@vueuse/core';
import { computed, ref, shallowReactive } from 'vue';
import { api, isRaster, must, type Inputs, type Kind, type Settings, type Step, type Upload } from '../api/client';
import type { Views } from '../views/useViews';
import { candidatesFor, startInputs } from './startInputs';
import { useFigures } from './useFigures';
import type { StudyStore } from './useStudy';

/** What lies on the desk: a stage's kinds, a step that is being set up, or a step of the trail. */
export type OnDesk = { stage: string } | { kind: string } | { step: number };

export interface Draft {
    inputs: Inputs;
    settings: Settings;
    /** Kept to the study's area. */
    within: boolean;
}

/** What lies on the desk, and the settings that are not yet run. */
export function useDesk(id: number, store: StudyStore, views: Views) {
    const open = ref<OnDesk>({ stage: 'gather' });
    const drafts = useLocalStorage<Record<string, Draft>>(`set-up/${id}`, {});
    /** What the files that were uploaded here say of themselves. */
    const uploads = shallowReactive<Record<string, Upload>>({});

    const line = computed<Step | null>(() =>
        'step' in open.value ? (store.steps.value.find((one) => one.id === (open.value as { step: number }).step) ?? null) : null,
    );
    const step = useFigures(line, store.problem);
    const kind = computed<Kind | null>(() => {
        const name = 'kind' in open.value ? open.value.kind : step.value?.kind;
        return store.kinds.value.find((one) => one.id === name) ?? null;
    });
    const stage = computed(() => ('stage' in open.value ? open.value.stage : (kind.value?.stage ?? step.value?.kind.split('.')[0] ?? 'gather')));

    function openStep(one: Step): void {
        open.value = { step: one.id };
        views.live.value = null;
        views.showStep(
            one.inputs as Inputs,
            one.items.filter(isRaster).map((item) => ({ step: one.id, output: item.output })),
        );
    }

    function openStage(name: string): void {
        open.value = { stage: name };
        views.live.value = null;
    }

    /** A new step of a kind; its inputs start from what the views show, then from what was made last. */
    function openKind(one: Kind): void {
        const key = `kind:${one.id}`;
        drafts.value[key] ??= { inputs: {}, settings: {}, within: false };
        const draft = drafts.value[key]!;
        const { a, b } = views.looks;
        draft.inputs = startInputs(one, draft.inputs, store.study.value!, [b.value.over, b.value.source, a.value.source]);
        open.value = { kind: one.id };
        views.live.value = null;
        const used = views.inputOf(draft.inputs);
        if (used) views.show('a', used);
    }

    function draftKey(): string {
        return 'step' in open.value ? `step:${open.value.step}` : 'kind' in open.value ? `kind:${open.value.kind}` : '';
    }

    async function removeStep(one: Step): Promise<boolean> {
        const gone = await store.act(async () => {
            await must(api.DELETE('/steps/{step}', { params: { path: { step: one.id } } }));
            return true;
        });
        if (!gone) return false;
        delete drafts.value[`step:${one.id}`];
        views.forget(one.id);
        openStage(one.kind.split('.')[0]!);
        return true;
    }

    return {
        open,
        drafts,
        uploads,
        step,
        kind,
        stage,
        openStep,
        openStage,
        openKind,
        draftKey,
        removeStep,
        candidatesFor: (type: string) => candidatesFor(store.study.value, type),
    };
}

export type Desk = ReturnType<typeof useDesk>;
