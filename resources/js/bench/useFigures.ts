import { computed, shallowRef, watch, type ComputedRef, type Ref } from 'vue';
import { api, must, type Step } from '../api/client';

/** A step with its figures: they are fetched when it is opened, and again when it has changed. */
export function useFigures(step: ComputedRef<Step | null>, problem: Ref<string>): ComputedRef<Step | null> {
    const opened = shallowRef<Step | null>(null);

    watch(() => [step.value?.id, step.value?.version], async ([id]) => {
        if (!id) return;
        try {
            const answer = await must(api.GET('/steps/{step}', { params: { path: { step: id } } }));
            // another step was opened meanwhile, or newer figures have come
            if (step.value?.id !== id || (opened.value?.id === id && opened.value.version > answer.version)) return;
            opened.value = answer;
        } catch (error) {
            if (step.value?.id === id) problem.value = (error as Error).message;
        }
    }, { immediate: true });

    return computed(() => {
        if (!step.value) return null;
        const { figures, report } = opened.value?.id === step.value.id ? opened.value : step.value;
        return { ...step.value, figures, report };
    });
}
