import { useQuery } from '@tanstack/vue-query';
import { computed, watch, type ComputedRef, type Ref } from 'vue';
import { api, must, type Step } from '../api/client';

/** A step with its figures: they are fetched when it is opened, and again when it has changed; those of before stay until the new ones come. */
export function useFigures(step: ComputedRef<Step | null>, problem: Ref<string>): ComputedRef<Step | null> {
    const { data, error } = useQuery({
        queryKey: computed(() => ['figures', step.value?.id, step.value?.version]),
        queryFn: () => must(api.GET('/steps/{step}', { params: { path: { step: step.value!.id } } })),
        enabled: computed(() => step.value !== null),
        placeholderData: (before?: Step) => (before?.id === step.value?.id ? before : undefined),
        gcTime: 0,
    });
    watch(error, (now) => now && (problem.value = now.message));

    return computed(() => {
        if (!step.value) return null;
        const { figures, report } = data.value?.id === step.value.id ? data.value : step.value;
        return { ...step.value, figures, report };
    });
}
