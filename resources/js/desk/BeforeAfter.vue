<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { api, must, type Compared, type Histogram, type RasterItem } from '../api/client';
import { useBench } from '../bench/useBench';
import { number, percent, pegColour, reading, short } from '../plots/format';
import { valuesAt } from '../readings/useReadings';
import { histogram } from '../views/look';
import { useLatest } from './useLatest';

/** What a correction did: histograms, means, readings at the pegs, and how much changed. */
const props = defineProps<{ before: RasterItem; after: RasterItem; marks?: Record<string, number | null> }>();
const bench = useBench();

const { answer: compared, problem } = useLatest<Compared[]>(
    'compared',
    () => `${props.before.id}/${props.after.id}`,
    () => must(api.GET('/items/{item}/compare/{other}', { params: { path: { item: props.before.id, other: props.after.id } } })),
    [],
);
const chosen = ref(0);
const pair = computed(() => compared.value[chosen.value] ?? null);
const data = ref<{ before: Histogram; after: Histogram } | null>(null);
const pegs = ref<{ letter: string; colour: string; before: number | null; after: number | null }[]>([]);
watch(
    () => `${props.before.id}/${props.after.id}`,
    () => (chosen.value = 0),
);

watch(pair, async (now) => {
    data.value = null;
    if (!now) return;
    const [before, after] = await Promise.all([histogram(props.before, now.other), histogram(props.after, now.number)]).catch(() => [null, null]);
    if (pair.value === now && before && after) data.value = { before, after };
});
watch([pair, () => bench.store.study.value?.pegs], async ([now], [was]) => {
    // what was read of one band must not stand under the name of another
    if (now !== was) pegs.value = [];
    const all = bench.store.study.value?.pegs ?? [];
    if (!now || !all.length) return (pegs.value = []);
    const [before, after] = await Promise.all([valuesAt(props.before, all), valuesAt(props.after, all)]);
    if (pair.value === now)
        pegs.value = all.map((peg) => ({
            letter: peg.letter,
            colour: pegColour(peg.letter),
            before: before.get(peg.id)?.[now.other - 1] ?? null,
            after: after.get(peg.id)?.[now.number - 1] ?? null,
        }));
});

const WIDTH = 280;
const HEIGHT = 96;
const unit = (item: RasterItem, band: number) => item.raster.bands.find((one) => one.number === band)?.unit ?? null;
const was = (value: number | null) => reading(value, unit(props.before, pair.value!.other));
const is = (value: number | null) => reading(value, unit(props.after, pair.value!.number));
/** A value at an axis. */
const end = (value: number, which: 'before' | 'after') =>
    unit(props[which], which === 'before' ? pair.value!.other : pair.value!.number) === 'reflectance' ? `${short(100 * value)} %` : short(value);
/** Values of one unit can be held against each other. */
const isSameUnit = computed(() => !pair.value || unit(props.before, pair.value.other) === unit(props.after, pair.value.number));
/** From the least to the greatest that all but a few pixels have: of both together, or of each where units differ. */
const axes = computed(() => {
    if (!data.value) return null;
    const ends = [data.value.before, data.value.after].map((one) => {
        let sum = 0;
        let low = one.minimum;
        let high = one.maximum;
        one.counts.forEach((count, i) => {
            const at = one.minimum + ((i + 0.5) / one.counts.length) * (one.maximum - one.minimum);
            if (sum <= one.pixels * 0.002) low = at;
            sum += count;
            if (sum <= one.pixels * 0.998) high = at;
        });
        return [low, high] as const;
    });
    const both = [Math.min(...ends.map(([low]) => low)), Math.max(...ends.map(([, high]) => high))] as const;
    return isSameUnit.value ? { before: both, after: both } : { before: ends[0]!, after: ends[1]! };
});
/** The dark value is one of the image before. */
const x = (value: number) => 6 + ((value - axes.value!.before[0]) / Math.max(1e-12, axes.value!.before[1] - axes.value!.before[0])) * (WIDTH - 12);
function outline(one: Histogram, axis: readonly [number, number]): string {
    const BINS = 90;
    const out = new Array<number>(BINS).fill(0);
    one.counts.forEach((count, i) => {
        const at = one.minimum + ((i + 0.5) / one.counts.length) * (one.maximum - one.minimum);
        const bin = Math.floor(((at - axis[0]) / Math.max(1e-12, axis[1] - axis[0])) * BINS);
        if (bin >= 0 && bin < BINS) out[bin]! += count;
    });
    const top = [...out].sort((a, b) => b - a)[1] || 1;
    return out
        .map(
            (count, i) =>
                `${i ? 'L' : 'M'}${(6 + ((i + 0.5) / BINS) * (WIDTH - 12)).toFixed(1)} ${(HEIGHT - 16 - Math.min(1, count / top) * (HEIGHT - 24)).toFixed(1)}`,
        )
        .join('');
}
const mark = computed(() => (pair.value ? (props.marks?.[pair.value.band] ?? null) : null));
</script>

<template>
    <section class="space-y-2 border-t border-line pt-3 text-sm" data-before-after>
        <p class="flex items-baseline justify-between gap-2">
            <b>Before and after</b
            ><select v-if="compared.length > 1" v-model.number="chosen" class="field w-auto!" aria-label="Band">
                <option v-for="(one, i) in compared" :key="one.number" :value="i">{{ one.band }}</option>
            </select>
        </p>
        <p v-if="problem" class="text-madder">{{ problem }}</p>
        <svg
            v-if="data && axes"
            :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
            class="w-full"
            role="img"
            :aria-label="`Histogram of ${pair?.band} before (dashed) and after`"
        >
            <path :d="outline(data.before, axes.before)" fill="none" stroke="var(--ink-2)" stroke-width="1.3" stroke-dasharray="4 3" />
            <path :d="outline(data.after, axes.after)" fill="none" stroke="var(--verdigris)" stroke-width="1.8" />
            <path :d="`M6 ${HEIGHT - 15.5}H${WIDTH - 6}`" stroke="var(--ink-2)" />
            <g v-if="mark !== null && mark >= axes.before[0] && mark <= axes.before[1]">
                <path :d="`M${x(mark)} 8V${HEIGHT - 16}`" stroke="var(--ochre)" stroke-width="1.5" />
                <text :x="x(mark) + 3" y="12" font-size="10" fill="var(--ochre)">dark {{ end(mark, 'before') }}</text>
            </g>
            <g font-size="10" fill="var(--ink-2)">
                <template v-if="isSameUnit">
                    <text x="6" :y="HEIGHT - 3">{{ end(axes.after[0], 'after') }}</text>
                    <text :x="WIDTH / 2" :y="HEIGHT - 3" text-anchor="middle">dashed before, full after</text>
                    <text :x="WIDTH - 6" :y="HEIGHT - 3" text-anchor="end">{{ end(axes.after[1], 'after') }}</text>
                </template>
                <text v-else :x="WIDTH / 2" :y="HEIGHT - 3" text-anchor="middle">
                    dashed before, {{ end(axes.before[0], 'before') }} to {{ end(axes.before[1], 'before') }} · full after, {{ end(axes.after[0], 'after') }} to
                    {{ end(axes.after[1], 'after') }}
                </text>
            </g>
        </svg>
        <table v-if="pair" class="w-full">
            <thead>
                <tr class="text-xs text-ink-2">
                    <th class="text-left font-normal">{{ pair.band }}</th>
                    <th class="text-right font-normal">before</th>
                    <th class="text-right font-normal">after</th>
                </tr>
            </thead>
            <tbody>
                <tr class="border-t border-line">
                    <td>mean</td>
                    <td class="figures text-right">{{ was(pair.before.mean) }}</td>
                    <td class="figures text-right">{{ is(pair.after.mean) }}</td>
                </tr>
                <tr class="border-t border-line">
                    <td>standard deviation</td>
                    <td class="figures text-right">{{ was(pair.before.deviation) }}</td>
                    <td class="figures text-right">{{ is(pair.after.deviation) }}</td>
                </tr>
                <tr v-for="peg in pegs" :key="peg.letter" class="border-t border-line">
                    <td>
                        <span class="inline-block rounded-xs border border-ink px-1 text-xs font-bold text-black" :style="{ background: peg.colour }">{{
                            peg.letter
                        }}</span>
                    </td>
                    <td class="figures text-right">{{ was(peg.before) }}</td>
                    <td class="figures text-right" :data-after="peg.letter">{{ is(peg.after) }}</td>
                </tr>
            </tbody>
        </table>
        <p v-if="pair" class="text-ink-2" data-changed>
            {{ percent(pair.changed) }} of the pixels changed<template v-if="pair.lost">, {{ number(pair.lost) }} became nodata</template
            ><template v-if="pair.negative && unit(after, pair.number) !== 'dB'">, {{ percent(pair.negative) }} are negative</template>.
        </p>
    </section>
</template>
