<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { api, must, type Step } from '../api/client';
import { useBench } from '../bench/useBench';
import { number } from '../plots/format';
import type { Form } from './useForm';

/** Tie points with their residuals, as arrows on the views and as a list; those struck out by hand leave the fit at once. */
const props = defineProps<{ step: Step; form: Form }>();
const bench = useBench();

interface Tie {
    number: number;
    x: number;
    y: number;
    state: string;
    match: number;
    columns: number;
    rows: number;
    'residual-columns': number;
    'residual-rows': number;
}
interface Fit {
    rmse: number;
    used: number;
    weak: number;
    rejected: number;
    struck: number;
    shift: { columns: number; rows: number; metres: number };
    'tie-points': Tie[];
}

/** Two dates against each other; else points of the ground. */
const isPair = computed(() => Boolean(props.step.figures && 'shift' in props.step.figures));
const fit = ref<Fit>(props.step.figures as unknown as Fit);
const problem = ref('');
const order = ref<'number' | 'residual'>('residual');
const struck = computed(() => ((props.form.valueOf('strike') as number[] | undefined) ?? []).map(Number));
const start = computed(() => props.step.figures?.start as { 'turned-by': number; scale: number } | undefined);
const size = (tie: Tie) => Math.hypot(tie['residual-columns'], tie['residual-rows']);
const rows = computed(() => [...fit.value['tie-points']].sort((a, b) => (order.value === 'number' ? a.number - b.number : size(b) - size(a))).slice(0, 60));

let round = 0;
watch(
    [struck, () => props.step.figures, () => props.form.valueOf('transform')],
    async ([strike, , transform]) => {
        const mine = ++round;
        problem.value = '';
        try {
            const found = (await must(
                api.POST('/steps/{step}/fit', { params: { path: { step: props.step.id } }, body: { strike, transform: String(transform) } }),
            )) as unknown as Fit;
            if (mine === round) fit.value = found;
        } catch (error) {
            if (mine === round) problem.value = (error as Error).message;
        }
    },
    { deep: true },
);
watch(
    fit,
    (now) =>
        (bench.views.arrows.value = now['tie-points'].map((tie) => ({
            x: tie.x,
            y: tie.y,
            columns: tie['residual-columns'],
            rows: tie['residual-rows'],
            used: tie.state === 'used',
        }))),
    { immediate: true },
);
onBeforeUnmount(() => (bench.views.arrows.value = []));

function strike(tie: Tie): void {
    props.form.set('strike', struck.value.includes(tie.number) ? struck.value.filter((one) => one !== tie.number) : [...struck.value, tie.number]);
}
</script>

<template>
    <section class="space-y-2 border-t border-line pt-3 text-sm" data-tie-points>
        <p>
            <b>Tie points</b>: <span class="figures">{{ fit.used }}</span> used, <span class="figures">{{ fit.rejected }}</span> rejected,
            <span class="figures">{{ fit.weak }}</span> weak<template v-if="fit.struck"
                >, <span class="figures">{{ fit.struck }}</span> excluded</template
            >. RMSE <b class="figures" data-rmse>{{ number(fit.rmse, 3) }}</b> pixels<template v-if="isPair"
                >; at the centre it is <span class="figures">{{ number(fit.shift.columns, 3) }}</span> columns and
                <span class="figures">{{ number(fit.shift.rows, 3) }}</span> rows off,
                <span class="figures">{{ number(fit.shift.metres, 3) }}</span> m</template
            ><template v-if="isPair && start?.['turned-by']"
                >; initial rotation <span class="figures">{{ number(start['turned-by'], 3) }}</span>°</template
            >.
        </p>
        <p class="text-xs text-ink-2">
            Arrows in the views are residuals, enlarged fifty times; rejected ones are dashed.<template v-if="isPair"> Hold F to flip the two dates.</template>
        </p>
        <p v-if="problem" role="alert" class="text-madder">{{ problem }}</p>
        <div class="max-h-56 overflow-auto">
            <table class="w-full">
                <thead class="sticky top-0 bg-paper">
                    <tr class="text-xs text-ink-2">
                        <th class="text-left font-normal"><button class="plain" @click="order = 'number'">number</button></th>
                        <th class="text-right font-normal"><button class="plain" @click="order = 'residual'">residual</button></th>
                        <th v-if="isPair" class="text-right font-normal">match</th>
                        <th class="pl-2 text-left font-normal">state</th>
                        <th />
                    </tr>
                </thead>
                <tbody>
                    <tr v-for="tie in rows" :key="tie.number" class="border-t border-line" :class="tie.state === 'used' ? '' : 'text-ink-2'">
                        <td class="figures">
                            <button class="plain" title="go there" @click="bench.views.shared.goTo([tie.x, tie.y], 20)">{{ tie.number }}</button>
                        </td>
                        <td class="figures text-right">{{ number(size(tie), 3) }}</td>
                        <td v-if="isPair" class="figures text-right">{{ number(tie.match, 2) }}</td>
                        <td class="pl-2">{{ tie.state }}</td>
                        <td class="text-right">
                            <button class="plain" :data-strike="tie.number" @click="strike(tie)">
                                {{ struck.includes(tie.number) ? 'include' : 'exclude' }}
                            </button>
                        </td>
                    </tr>
                </tbody>
            </table>
        </div>
    </section>
</template>
