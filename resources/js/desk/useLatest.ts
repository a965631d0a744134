import { ref, shallowRef, watch } from 'vue';

/** The answer to the question asked last: one that comes late does not stand under the name of another. */
export function useLatest<T>(question: () => unknown, ask: () => Promise<T>, none: T) {
    const answer = shallowRef<T>(none);
    const problem = ref('');
    let round = 0;
    watch(question, async () => {
        const mine = ++round;
        answer.value = none;
        problem.value = '';
        try {
            const found = await ask();
            if (mine === round) answer.value = found;
        } catch (error) {
            if (mine === round) problem.value = (error as Error).message;
        }
    }, { immediate: true });
    return { answer, problem };
}
