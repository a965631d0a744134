import { useQuery } from '@tanstack/vue-query';
import { computed, type ComputedRef } from 'vue';
import { api, must, type Inputs, type Matrix, type Step } from '../api/client';
import type { Bench } from '../bench/useBench';

/** The area of a class as a sample tells it, with half of its 95 % interval; null where the sample can't say. */
export interface Adjusted {
    hectares: number | null;
    half: number | null;
    isRare: boolean;
    /** The step that tells it. */
    by: number;
}

/**
 * Areas with intervals for the class maps that a step made, by output and class: from a matrix of the map itself, or from its check points. A map that
 * was made of it, sieved for one, has to be checked itself.
 */
export function useAdjusted(bench: Bench, step: ComputedRef<Step | null>): ComputedRef<Record<string, Record<string, Adjusted>>> {
    const shows = (one: Step, evidence: string) =>
        bench.store.kinds.value.find((kind) => kind.id === one.kind)?.desk.evidence.some(({ name }) => name === evidence);
    /** Of each map the matrix that was made last, else the points that are labelled. */
    const sources = computed(() => {
        const mine = step.value;
        const maps = mine?.items.filter((item) => item.raster?.content === 'classes').map((item) => item.output) ?? [];
        return maps.flatMap((output) => {
            const of = bench.store.steps.value.filter((one) => {
                const map = (one.inputs as Inputs).map;
                return one.state === 'done' && map?.step === mine!.id && (map.output ?? 'result') === output;
            });
            const matrix = of.filter((one) => shows(one, 'matrix')).pop();
            const points = of.filter((one) => shows(one, 'check-points') && one.labelled).pop();
            const found = matrix ?? points;
            return found ? [{ output, step: found, isMatrix: found === matrix }] : [];
        });
    });
    const { data } = useQuery({
        queryKey: computed(() => ['adjusted', ...sources.value.map((one) => [one.output, one.step.id, one.step.version, one.step.labelled])]),
        queryFn: () =>
            Promise.all(
                sources.value.map(async ({ output, step: { id, number }, isMatrix }) => {
                    const params = { params: { path: { step: id } } };
                    const matrix = isMatrix
                        ? ((await must(api.GET('/steps/{step}', params))).figures as unknown as Matrix)
                        : await must(api.GET('/steps/{step}/matrix', params));
                    const areas = (matrix.classes ?? []).flatMap((one): [string, Adjusted][] =>
                        one.hectares === undefined
                            ? []
                            : [[one.class, { hectares: one.hectares ?? null, half: one.hectaresHalf ?? null, isRare: one.isRare, by: number }]],
                    );
                    return [output, Object.fromEntries(areas)] as const;
                }),
            ),
        enabled: computed(() => sources.value.length > 0),
        retry: false,
    });
    return computed(() => (sources.value.length ? Object.fromEntries(data.value ?? []) : {}));
}
