<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Histogram, RasterItem } from '../api/client';
import { useBench } from '../bench/useBench';
import HistogramPlot from '../plots/HistogramPlot.vue';
import { pegColour, reading } from '../plots/format';
import { valuesAt } from '../readings/useReadings';
import { histogram } from '../views/look';
import { useLatest } from './useLatest';
import type { Form } from './useForm';

/** Where each band is darkest: a line on its histogram that can be drawn along, with the pegs beside it. */
const props = defineProps<{ form: Form; item: RasterItem | null }>();
const bench = useBench();
const band = ref(1);
const bands = computed(() => (props.item?.raster.bands ?? []).filter((one) => one.unit !== 'K'));
const chosen = computed(() => bands.value.find((one) => one.number === band.value) ?? bands.value[0] ?? null);
const { answer: data } = useLatest<Histogram | null>(
    'dark histogram',
    () => `${props.item?.id}/${chosen.value?.number}`,
    async () => (props.item && chosen.value ? histogram(props.item, chosen.value.number) : null),
    null,
);
const { answer: ticks } = useLatest(
    'dark pegs',
    () => `${props.item?.id}/${chosen.value?.number}/${(bench.store.study.value?.pegs ?? []).map((peg) => `${peg.id} ${peg.x} ${peg.y}`).join()}`,
    async () => {
        const pegs = bench.store.study.value?.pegs ?? [];
        if (!props.item || !chosen.value) return [];
        const values = await valuesAt(props.item, pegs);
        return pegs.flatMap((peg) => {
            const value = values.get(peg.id)?.[chosen.value!.number - 1];
            return value === null || value === undefined ? [] : [{ letter: peg.letter, value, colour: pegColour(peg.letter) }];
        });
    },
    [],
);

/** The value below which a share of the pixels lies, by the histogram: exact to a bin; a run looks at each pixel. */
function below(one: Histogram, share: number): number {
    const width = (one.maximum - one.minimum) / one.counts.length;
    let sum = 0;
    for (const [bin, count] of one.counts.entries()) {
        if (count && sum + count >= share * one.pixels) return one.minimum + (bin + Math.max(0, share * one.pixels - sum) / count) * width;
        sum += count;
    }
    return one.maximum;
}
const percentile = computed(() => Number(props.form.valueOf('percentile') ?? 0));
const dark = computed(() => (data.value ? (percentile.value > 0 ? below(data.value, percentile.value / 100) : data.value.minimum) : null));
/** The dark end is what matters: up to the value that two fifths lie below, or the line. */
const to = computed(() =>
    data.value && dark.value !== null ? Math.max(below(data.value, 0.4), dark.value + 0.15 * (data.value.maximum - data.value.minimum)) : undefined,
);

function draw(value: number): void {
    const one = data.value!;
    const width = (one.maximum - one.minimum) / one.counts.length;
    const sum = one.counts.reduce((all, count, bin) => all + count * Math.max(0, Math.min(1, (value - one.minimum) / width - bin)), 0);
    props.form.set('percentile', Math.min(10, Number(((100 * sum) / Math.max(1, one.pixels)).toFixed(3))));
}
</script>

<template>
    <section v-if="data && chosen && dark !== null" class="space-y-1" data-dark>
        <p class="flex items-baseline justify-between gap-2 text-sm">
            <span class="text-ink-2"
                >the darkest of {{ chosen.label }}: <b class="figures text-ink" data-dark-value>{{ reading(dark, chosen.unit) }}</b></span
            ><select v-if="bands.length > 1" v-model.number="band" class="field w-auto!" aria-label="Band of the dark value">
                <option v-for="one in bands" :key="one.number" :value="one.number">{{ one.label }}</option>
            </select>
        </p>
        <HistogramPlot
            :data="data"
            :handles="[dark]"
            :names="['darkest value']"
            :ticks="ticks.filter((tick) => tick.value <= to!)"
            :label="`${chosen.label}, dark end`"
            :to="to"
            @change="(_, value) => draw(value)"
        />
    </section>
</template>
