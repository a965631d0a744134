<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import type { Inputs, RasterItem, Step } from '../api/client';
import { useBench } from '../bench/useBench';
import { useAdjusted } from '../check/useAdjusted';
import { hectares, number, percent } from '../plots/format';
import { findItem } from '../views/look';
import { changesOf, layFlows, type Flow, type FlowFigures } from './flows';

/** What became of each class: bands of colour from date to date, each of which points at its pixels in the views. */
const props = defineProps<{ step: Step; flows: FlowFigures }>();
const bench = useBench();
const [WIDTH, HEIGHT, BLOCK] = [280, 220, 9];
const drawn = computed(() => layFlows(props.flows, WIDTH, HEIGHT, BLOCK));
/** Greater ones lie below, so that each can be pointed at. */
const ribbons = computed(() => [...drawn.value.ribbons].sort((a, b) => b.width - a.width));
const at = ref(0);
const rows = computed(() => changesOf(props.flows.steps[at.value] ?? []));
const SHOWN = 12;
const all = ref(false);
const greatest = computed(() => Math.max(0, ...props.flows.whole.map((flow) => flow.hectares ?? 0)));
const amount = (flow: Flow) => (flow.hectares === undefined ? `${number(flow.pixels)} px` : hectares(flow.hectares, greatest.value));
/** What check points of the map of changes tell of a flow from its first date to its last. */
const adjusted = useAdjusted(
    bench,
    computed(() => props.step),
);
function sampled(flow: Flow): string {
    const one = props.flows.steps.length === 1 ? adjusted.value.changes?.[`${flow.from} to ${flow.to}`] : undefined;
    return one && one.half ? within(one) : '';
}
const isSampled = computed(() => rows.value.some(sampled));
const called = (flow: Flow) => (flow.from === flow.to ? `${flow.from}, as before` : `${flow.from} to ${flow.to}`);

interface Pointed {
    step: number;
    flow: Flow;
}
/** Pointed at for a moment, or kept by a click. */
const hover = ref<Pointed | null>(null);
const kept = ref<Pointed | null>(null);
const pointed = computed(() => hover.value ?? kept.value);
const is = (one: Pointed | null, step: number, flow: Flow) => one?.step === step && one.flow.from === flow.from && one.flow.to === flow.to;
function keep(step: number, flow: Flow): void {
    kept.value = is(kept.value, step, flow) ? null : { step, flow };
}
function forget(event: Event): void {
    [hover.value, kept.value] = [null, null];
    (event.target as SVGElement).blur();
}
const inputs = computed(() =>
    Object.entries((props.step.inputs ?? {}) as Inputs)
        .filter(([name]) => name.startsWith('maps'))
        .sort(([a], [b]) => Number(a.split(':')[1] ?? 1) - Number(b.split(':')[1] ?? 1))
        .map(([, input]) => input),
);
/** What the first and the last map's own check points tell of their classes. */
const ends = [0, 1].map((end) => {
    const input = computed(() => inputs.value[end ? inputs.value.length - 1 : 0]);
    const areas = useAdjusted(
        bench,
        computed(() => bench.store.steps.value.find((one) => one.id === input.value?.step) ?? null),
    );
    return computed(() => areas.value[input.value?.output ?? 'result'] ?? {});
});
const checked = computed(() =>
    props.flows.classes
        .map(({ name }) => ({ name, areas: ends.map((end) => end.value[name]) }))
        .filter(({ areas }) => areas.some((one) => one && one.hectares !== null)),
);
const within = (one: { hectares: number | null; half: number | null } | undefined) =>
    !one || one.hectares === null ? '–' : hectares(one.hectares, greatest.value) + (one.half ? ` ± ${hectares(one.half, greatest.value)}` : '');
const maps = computed(() =>
    inputs.value.map((input) => (input.step ? findItem(bench.store.study.value!, { step: input.step, output: input.output ?? 'result' }, []) : null)),
);
const codes = (map: RasterItem, name: string) => (map.raster.legend ?? []).filter((entry) => entry.name === name).map((entry) => entry.value);
watch(
    [pointed, maps],
    () => {
        const [one, other] = pointed.value ? [maps.value[pointed.value.step], maps.value[pointed.value.step + 1]] : [null, null];
        if (!pointed.value || !one || !other) {
            bench.views.pointed.value = null;
            return;
        }
        const { from, to } = pointed.value.flow;
        const picture = {
            item: one,
            other,
            opacity: 1,
            style: { kind: 'pair' as const, other: other.id, from: codes(one, from), to: codes(other, to) },
        };
        bench.views.pointed.value = { a: picture, b: picture };
    },
    { immediate: true },
);
onBeforeUnmount(() => (bench.views.pointed.value = null));
const dateAt = (date: number) => (props.flows.dates.length === 1 ? 0 : (date * WIDTH) / (props.flows.dates.length - 1));
</script>

<template>
    <section class="space-y-2 border-t border-line pt-3 text-sm" data-flows>
        <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT + 18}`" class="w-full" role="group" aria-label="Class transitions" @pointerleave="hover = null">
            <path
                v-for="ribbon in ribbons"
                :key="`${ribbon.step}/${ribbon.flow.from}/${ribbon.flow.to}`"
                :d="ribbon.path"
                :fill="ribbon.colour"
                :opacity="pointed ? (is(pointed, ribbon.step, ribbon.flow) ? 0.95 : 0.18) : ribbon.flow.from === ribbon.flow.to ? 0.35 : 0.75"
                :stroke="is(kept, ribbon.step, ribbon.flow) ? 'var(--ink)' : 'none'"
                stroke-width="1"
                role="button"
                tabindex="0"
                class="cursor-pointer outline-offset-1"
                :aria-label="`${called(ribbon.flow)}: ${amount(ribbon.flow)}`"
                :aria-pressed="is(kept, ribbon.step, ribbon.flow)"
                :data-flow="`${ribbon.flow.from}/${ribbon.flow.to}`"
                @pointerenter="hover = { step: ribbon.step, flow: ribbon.flow }"
                @focus="hover = { step: ribbon.step, flow: ribbon.flow }"
                @blur="hover = null"
                @click="keep(ribbon.step, ribbon.flow)"
                @keydown.enter.prevent="keep(ribbon.step, ribbon.flow)"
                @keydown.space.prevent="keep(ribbon.step, ribbon.flow)"
                @keydown.esc.stop="forget($event)"
            />
            <rect
                v-for="block in drawn.blocks"
                :key="`${block.date}/${block.name}`"
                :x="Math.min(WIDTH - BLOCK, Math.max(0, dateAt(block.date) - (block.date ? BLOCK : 0)))"
                :y="block.y"
                :width="BLOCK"
                :height="block.height"
                :fill="block.colour"
                stroke="var(--ink-2)"
                stroke-width="0.5"
            >
                <title>{{ block.name }}: {{ percent(block.share) }}</title>
            </rect>
            <text
                v-for="block in drawn.blocks.filter((one) => one.height >= 11 && (one.date === 0 || one.date === flows.dates.length - 1))"
                :key="`name/${block.date}/${block.name}`"
                :x="block.date ? WIDTH - BLOCK - 3 : BLOCK + 3"
                :y="block.y + Math.min(block.height / 2 + 3, block.height - 2)"
                :text-anchor="block.date ? 'end' : 'start'"
                font-size="9.5"
                fill="var(--ink)"
                class="pointer-events-none"
            >
                {{ block.name }}
            </text>
            <text
                v-for="(date, i) in flows.dates"
                :key="date"
                :x="dateAt(i)"
                :y="HEIGHT + 13"
                :text-anchor="i === 0 ? 'start' : i === flows.dates.length - 1 ? 'end' : 'middle'"
                font-size="10"
                fill="var(--ink-2)"
            >
                {{ date }}
            </text>
        </svg>
        <p class="min-h-10" aria-live="polite" data-pointed>
            <template v-if="pointed"
                ><b>{{ called(pointed.flow) }}</b
                >: <span class="figures">{{ amount(pointed.flow) }}</span>, {{ percent(pointed.flow.share) }} of the compared area. Everything else is dimmed in
                the views.</template
            ><span v-else class="text-ink-2">Point at a ribbon to see its pixels in the views; click to keep them shown.</span>
        </p>
        <p v-if="flows.steps.length > 1" class="flex flex-wrap gap-x-3">
            <button v-for="(_, i) in flows.steps" :key="i" class="plain" :class="i === at ? 'font-semibold' : ''" :aria-pressed="i === at" @click="at = i">
                {{ flows.dates[i] }} to {{ flows.dates[i + 1] }}
            </button>
        </p>
        <table v-if="rows.length" class="w-full">
            <thead class="text-xs text-ink-2">
                <tr>
                    <th class="text-left font-normal">from</th>
                    <th class="text-left font-normal">to</th>
                    <th class="text-right font-normal">area</th>
                    <th v-if="isSampled" class="pl-2 text-right font-normal">from check points, ± 95 %</th>
                    <th class="text-right font-normal">of all</th>
                </tr>
            </thead>
            <tbody>
                <tr
                    v-for="flow in all ? rows : rows.slice(0, SHOWN)"
                    :key="`${flow.from}/${flow.to}`"
                    class="cursor-pointer border-t border-line hover:bg-paper-2"
                    :class="is(kept, at, flow) ? 'font-semibold' : ''"
                    @pointerenter="hover = { step: at, flow }"
                    @pointerleave="hover = null"
                    @click="keep(at, flow)"
                >
                    <td>{{ flow.from }}</td>
                    <td>{{ flow.to }}</td>
                    <td class="figures text-right whitespace-nowrap">{{ amount(flow) }}</td>
                    <td v-if="isSampled" class="figures pl-2 text-right whitespace-nowrap">{{ sampled(flow) }}</td>
                    <td class="figures pl-2 text-right">{{ percent(flow.share, 2) }}</td>
                </tr>
            </tbody>
        </table>
        <p v-else class="text-ink-2">Nothing changed its class.</p>
        <table v-if="checked.length" class="w-full" data-checked>
            <caption class="text-left text-ink-2">
                areas from the check points of each map, ± 95 %
            </caption>
            <thead class="text-xs text-ink-2">
                <tr>
                    <th />
                    <th class="pl-2 text-right font-normal">{{ flows.dates[0] }}</th>
                    <th class="pl-2 text-right font-normal">{{ flows.dates[flows.dates.length - 1] }}</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="row in checked" :key="row.name" class="border-t border-line">
                    <td>{{ row.name }}</td>
                    <td v-for="(one, i) in row.areas" :key="i" class="figures pl-2 text-right whitespace-nowrap">{{ within(one) }}</td>
                </tr>
            </tbody>
        </table>
        <button v-if="rows.length > SHOWN" class="plain" @click="all = !all">{{ all ? 'fewer' : `${rows.length - SHOWN} more` }}</button>
    </section>
</template>
