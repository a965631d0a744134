import { useDocumentVisibility, useIntervalFn } from '@vueuse/core';
import { computed, ref, shallowRef } from 'vue';
import { api, must, type Work } from '../api/client';

/** Everything waiting, running and lately finished, over all studies. */
export function useWork() {
    const work = shallowRef<Work[]>([]);
    const problem = ref('');
    const active = computed(() => work.value.filter((step) => step.state === 'running' || step.state === 'waiting'));

    async function load(): Promise<void> {
        try {
            work.value = await must(api.GET('/work'));
            problem.value = '';
        } catch (error) {
            problem.value = (error as Error).message;
        }
    }
    async function act(step: Work, what: 'stop' | 'run'): Promise<void> {
        try {
            await must(api.POST(what === 'stop' ? '/steps/{step}/stop' : '/steps/{step}/run', { params: { path: { step: step.id } } }));
            await load();
        } catch (error) {
            problem.value = (error as Error).message;
        }
    }
    const visibility = useDocumentVisibility();
    useIntervalFn(() => visibility.value === 'visible' && void load(), 1500, { immediateCallback: true });
    return { work, active, problem, act };
}
