<script setup lang="ts">
import { refDebounced } from '@vueuse/core';
import { computed, onMounted, ref, shallowRef, watch } from 'vue';
import type { Inputs, Step } from '../api/client';
import { useBench } from '../bench/useBench';
import HistogramPlot from '../plots/HistogramPlot.vue';
import ScatterPlot from '../plots/ScatterPlot.vue';
import { hectares, number, pegColour, percent, roundTo, typedNumber } from '../plots/format';
import { valuesAt } from '../readings/useReadings';
import { sameSource, type Source } from '../views/look';
import { rampGradient, ramps } from '../views/ramps';
import { bestSplit, beyond, binned, range } from '../views/segments/shade';
import type { Column } from '../views/segments/useSegments';
import { findRow } from '../views/segments/useRow';
import { listOf } from './listOf';
import { useColumns } from './useColumns';

/** All segments by one measure: what they are shaded by, where a limit falls, and two measures against each other. */
const props = defineProps<{ segments: Source }>();
const bench = useBench();
const { views } = bench;
const BINS = 120;

const measures = computed(() => bench.segments.measuresOf(props.segments));
const columns = useColumns(() => measures.value.map((one) => one.item.id));
const mine = computed(() =>
    bench.segments.shading.value && sameSource(bench.segments.shading.value.segments, props.segments) ? bench.segments.shading.value : null,
);
const shaded = computed(() => (mine.value ? bench.segments.shaded.value : null));
const item = computed(() => bench.segments.itemOf(props.segments));

function measureThem(): void {
    const kind = bench.store.kinds.value.find((one) => one.outputs.some((port) => port.type === 'measures') && one.stage === 'segment');
    const port = kind?.inputs.find((one) => one.type === 'segments');
    if (!kind || !port) return;
    const stepOf = (id: number | undefined) => bench.store.steps.value.find((one) => one.id === id);
    const imagesOf = (step: Step | undefined) => Object.entries((step?.inputs ?? {}) as Inputs).filter(([name]) => name.startsWith('images:'));
    // what segments were made of segments again: the images are those of the first
    let made = stepOf(props.segments.step);
    while (made && !imagesOf(made).length && (made.inputs as Inputs).segments?.step) made = stepOf((made.inputs as Inputs).segments!.step);
    // images keep the names that they were cut by
    const names = listOf(made?.settings.names);
    bench.desk.drafts.value[`kind:${kind.id}`] = {
        inputs: { ...Object.fromEntries(imagesOf(made)), [port.name]: props.segments },
        settings: names.length ? { names } : {},
        within: false,
    };
    bench.desk.openKind(kind);
}

function shade(measure: string): void {
    const text = measure.trim();
    if (!text) bench.segments.shading.value = null;
    else if (text !== mine.value?.measure) bench.segments.shade(props.segments, text);
    show();
}
/** The segments lie over an image in view B, unless one of the views shows them already. */
function show(): void {
    if (!item.value || (['a', 'b'] as const).some((side) => bench.segments.laidIn(side)?.id === item.value!.id)) return;
    views.looks.b.value = { ...views.looks.b.value, over: props.segments, opacity: 0.85 };
}
onMounted(() => mine.value && show());

const byArea = ref(false);
const weights = computed(() => (byArea.value ? (shaded.value?.pixels ?? null) : null));
const ends = computed<[number, number]>(() => (shaded.value ? range(shaded.value.values, [0.2, 99.8]) : [0, 1]));
const data = computed(() => {
    if (!shaded.value) return null;
    const [minimum, maximum] = ends.value;
    return { minimum, maximum, counts: binned(shaded.value.values, weights.value, ends.value, BINS) };
});
const pixelHectares = computed(() => item.value?.raster.own.hectares ?? null);
const past = computed(() => {
    const { value: now } = shaded;
    if (!now || mine.value?.limit === null || mine.value?.limit === undefined) return null;
    const found = beyond(now.values, now.pixels, mine.value.limit, mine.value.side);
    const all = now.pixels?.reduce((sum, pixels) => sum + pixels, 0) ?? 0;
    return { ...found, share: all ? found.weight / all : null };
});

const ticks = ref<{ letter: string; value: number; colour: string }[]>([]);
watch(
    [shaded, () => bench.store.study.value?.pegs, item],
    async () => {
        const [now, pegs] = [shaded.value, bench.store.study.value?.pegs ?? []];
        if (!now || !item.value) return (ticks.value = []);
        const read = await valuesAt(item.value, pegs);
        if (now !== shaded.value) return;
        ticks.value = pegs.flatMap((peg) => {
            const row = findRow(now.numbers, read.get(peg.id)?.[0] ?? -1);
            const value = row === null ? NaN : now.values[row]!;
            return Number.isFinite(value) ? [{ letter: peg.letter, value, colour: pegColour(peg.letter) }] : [];
        });
    },
    { immediate: true },
);

function setLimit(value: number | null): void {
    if (mine.value && (value === null || Number.isFinite(value))) mine.value.limit = value;
}
function split(): void {
    const found = shaded.value && bestSplit(binned(shaded.value.values, null, ends.value, 512), ends.value);
    if (found !== null) setLimit(roundTo(found, ends.value));
}

const typed = ref('');
const other = refDebounced(typed, 400);
const against = shallowRef<Column | null>(null);
const scatterProblem = ref('');
watch([other, shaded], async () => {
    scatterProblem.value = '';
    const name = other.value.trim();
    if (!name || !shaded.value) return (against.value = null);
    try {
        const found = await bench.segments.load(props.segments, name);
        if (name === other.value.trim()) against.value = found.values.length === shaded.value?.values.length ? found : null;
    } catch (error) {
        against.value = null;
        scatterProblem.value = (error as Error).message;
    }
});
const chosen = computed(() => (bench.segments.chosen.value?.item === item.value?.id ? bench.segments.chosen.value?.numbers : undefined));
const isMarked = computed(() => {
    const [now, numbers] = [shaded.value, chosen.value];
    return (index: number) => Boolean(numbers?.has(now!.numbers[index]!));
});
const scatterEnds = (values: Float64Array) => range(values, [0.2, 99.8]);
function box(from: [number, number], to: [number, number]): void {
    const [now, up] = [shaded.value, against.value];
    if (!now || !up || !item.value) return;
    const numbers = new Set<number>();
    now.values.forEach((x, i) => {
        const y = up.values[i]!;
        if (x >= from[0] && x <= to[0] && y >= from[1] && y <= to[1]) numbers.add(now.numbers[i]!);
    });
    bench.segments.chooseOf(item.value.id, numbers);
}
</script>

<template>
    <section class="space-y-2 border-b border-line pb-3" data-shade>
        <p v-if="!measures.length" class="text-sm">
            <button class="plain" data-measure-them @click="measureThem">Measure these segments</button>, to shade and select them by their properties.
        </p>
        <template v-else>
            <label class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2"
                ><span class="text-ink-2">shaded by</span
                ><input
                    class="field"
                    list="segment-measures"
                    placeholder="a measure or a formula"
                    :value="mine?.measure ?? ''"
                    data-shade-by
                    @change="shade(($event.target as HTMLInputElement).value)"
            /></label>
            <datalist id="segment-measures"><option v-for="name in columns" :key="name" :value="name" /></datalist>
            <p v-if="mine && bench.segments.problem.value" role="alert" class="text-sm text-madder">{{ bench.segments.problem.value }}</p>
            <p v-if="!mine" class="text-sm text-ink-2">
                Such as {{ columns.slice(-3).join(', ') }}; of two bands ndvi, of two dates ndvi(before) - ndvi(after).
            </p>
            <template v-if="mine && data">
                <HistogramPlot
                    :data="data"
                    :handles="mine.limit === null ? [] : [mine.limit]"
                    :names="['Limit']"
                    :ticks="ticks"
                    :label="mine.measure"
                    :height="140"
                    @change="(_, value) => setLimit(value)"
                />
                <p class="flex flex-wrap items-center gap-x-3 text-sm">
                    <select
                        class="field w-auto!"
                        aria-label="Counted in"
                        :value="byArea ? 'area' : 'segments'"
                        @change="byArea = ($event.target as HTMLSelectElement).value === 'area'"
                    >
                        <option value="segments">by number</option>
                        <option value="area" :disabled="!shaded?.pixels">by area</option>
                    </select>
                    <select v-model="mine.ramp" class="field w-auto!" aria-label="Colours">
                        <option v-for="(_, name) in ramps" :key="name" :value="name">{{ name }}</option>
                    </select>
                    <span class="h-2 flex-1 rounded-xs" :style="{ background: rampGradient(mine.ramp) }" />
                    <button class="plain" @click="shade('')">clear</button>
                </p>
                <div v-if="mine.limit === null" class="flex gap-x-3 text-sm">
                    <button class="plain" data-set-limit @click="setLimit(roundTo((ends[0] + ends[1]) / 2, ends))">set a limit</button>
                    <button class="plain" title="Best threshold: greatest variance between the sides (Otsu 1979)" @click="split">best split</button>
                </div>
                <div v-else class="space-y-1 text-sm">
                    <p class="flex items-center gap-2">
                        <select v-model="mine.side" class="field w-auto!" aria-label="Which side">
                            <option value="above">at or above</option>
                            <option value="below">below</option></select
                        ><input
                            class="field figures"
                            inputmode="decimal"
                            aria-label="Limit"
                            :value="mine.limit"
                            data-limit
                            @change="setLimit(typedNumber(($event.target as HTMLInputElement).value))"
                        /><button class="plain" @click="setLimit(null)">none</button>
                    </p>
                    <p v-if="past" data-beyond>
                        <span class="figures">{{ number(past.segments) }}</span> segments<template v-if="past.share !== null"
                            >, <span class="figures">{{ pixelHectares === null ? number(past.weight) : hectares(past.weight * pixelHectares) }}</span>{{
                                pixelHectares === null ? ' pixels' : ''
                            }}, <span class="figures">{{ percent(past.share) }}</span> of the area</template
                        >.
                        <button class="plain" data-choose-beyond @click="bench.segments.chooseBeyond()">select them</button>
                    </p>
                </div>
                <label class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2"
                    ><span class="text-ink-2">against</span
                    ><input v-model="typed" class="field" list="segment-measures" placeholder="another measure, for a scatter plot" data-against
                /></label>
                <p v-if="scatterProblem" role="alert" class="text-sm text-madder">{{ scatterProblem }}</p>
                <ScatterPlot
                    v-if="against && shaded"
                    :x="shaded.values"
                    :y="against.values"
                    :across="{ label: mine.measure, ends: scatterEnds(shaded.values) }"
                    :up="{ label: against.measure, ends: scatterEnds(against.values) }"
                    :marked="isMarked"
                    :any-marked="Boolean(chosen)"
                    @box="box"
                />
            </template>
        </template>
        <p v-if="chosen" class="text-sm" data-chosen>
            <span class="figures">{{ number(chosen.size) }}</span> chosen. <button class="plain" @click="bench.segments.chosen.value = null">none</button>
        </p>
    </section>
</template>
