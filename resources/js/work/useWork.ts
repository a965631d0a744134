import { useQuery } from '@tanstack/vue-query';
import { computed, ref } from 'vue';
import { api, must, type Work } from '../api/client';

/** Everything waiting, running and lately finished, over all studies. */
export function useWork() {
    const { data, error, refetch } = useQuery({ queryKey: ['work'], queryFn: () => must(api.GET('/work')), staleTime: 0, refetchInterval: 1500, retry: false });
    const work = computed<Work[]>(() => data.value ?? []);
    const refused = ref('');
    const problem = computed(() => refused.value || (error.value?.message ?? ''));
    const active = computed(() => work.value.filter((step) => step.state === 'running' || step.state === 'waiting'));

    async function act(step: Work, what: 'stop' | 'run'): Promise<void> {
        refused.value = '';
        try {
            await must(api.POST(what === 'stop' ? '/steps/{step}/stop' : '/steps/{step}/run', { params: { path: { step: step.id } } }));
            await refetch();
        } catch (failure) {
            refused.value = (failure as Error).message;
        }
    }
    return { work, active, problem, act };
}
