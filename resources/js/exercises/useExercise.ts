import { computed, ref, watch } from 'vue';
import type { StudyStore } from '../bench/useStudy';
import type { Desk } from '../bench/useDesk';
import { exercises, isDone, type Seen } from './exercises';

/** How far a person is in an exercise; kept with the study. */
export interface Progress {
    name: string;
    /** Tasks that are done. */
    at: number;
    isOpen: boolean;
}

/** The exercise that a study is for, if it is for one: it goes on by itself as tasks are done. */
export function useExercise(store: StudyStore, desk: Desk) {
    const progress = ref<Progress | null>(null);
    const exercise = computed(() => exercises.find((one) => one.name === progress.value?.name) ?? null);
    /** Steps that are run before the first task, and are not done yet. */
    const preparing = computed(
        () => store.steps.value.filter((step) => step.number <= (exercise.value?.prepared.length ?? 0) && !['done', 'stale'].includes(step.state)).length,
    );
    const task = computed(() => (preparing.value ? null : (exercise.value?.tasks[progress.value!.at] ?? null)));

    const seen = computed<Seen>(() => {
        const draft = desk.drafts.value[desk.draftKey()];
        const settings = { ...(desk.step.value?.settings ?? {}), ...(draft?.settings ?? {}) } as Record<string, unknown>;
        return {
            stage: desk.stage.value,
            kind: desk.kind.value?.id ?? null,
            valueOf: (name) => settings[name] ?? desk.kind.value?.settings.find((one) => one.name === name)?.default,
            isTried: store.trials.value.length > 0,
            ran: new Set(store.steps.value.filter((step) => step.state === 'done').map((step) => step.kind)),
            labelled: store.steps.value.reduce((sum, step) => sum + step.labelled, 0),
            pegs: store.study.value?.pegs.length ?? 0,
        };
    });
    // one at a time: doing the next early counts when its turn comes
    watch(
        [task, seen],
        () => {
            if (progress.value?.isOpen && task.value && isDone(task.value.done, seen.value)) progress.value = { ...progress.value, at: progress.value.at + 1 };
        },
        { immediate: true },
    );

    const set = (change: Partial<Progress>) => progress.value && (progress.value = { ...progress.value, ...change });
    return {
        progress,
        exercise,
        preparing,
        task,
        leave: () => set({ isOpen: false }),
        takeUp: () => set({ isOpen: true }),
        skip: () => set({ at: Math.min(exercise.value?.tasks.length ?? 0, progress.value!.at + 1) }),
        back: () => set({ at: Math.max(0, progress.value!.at - 1) }),
    };
}

export type ExerciseStore = ReturnType<typeof useExercise>;
