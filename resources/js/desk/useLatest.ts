import { useQuery } from '@tanstack/vue-query';
import { computed } from 'vue';

/** The answer to the question asked last: one that comes late does not stand under the name of another. `about` and `question` name it whole. */
export function useLatest<T>(about: string, question: () => unknown, ask: () => Promise<T>, none: T) {
    const { data, error } = useQuery({ queryKey: computed(() => [about, question()]), queryFn: ask });
    return { answer: computed<T>(() => data.value ?? none), problem: computed(() => error.value?.message ?? '') };
}
