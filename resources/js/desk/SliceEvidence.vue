<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import type { Histogram, RasterItem } from '../api/client';
import { useBench } from '../bench/useBench';
import HistogramPlot from '../plots/HistogramPlot.vue';
import { hectares, number, percent, pegColour, roundTo, short, typedNumber } from '../plots/format';
import { valuesAt } from '../readings/useReadings';
import { classColours } from '../views/classColours';
import { histogram, lookFor, sameSource } from '../views/look';
import type { Form } from './useForm';

/** Choosing limits: the histogram with the pegs' ticks, lines to drag, and view B shows at once what falls on which side. */
const props = defineProps<{ form: Form; item: RasterItem | null; problem: string | null }>();
const bench = useBench();

const data = ref<Histogram | null>(null);
const pegValues = ref<{ letter: string; value: number; colour: string }[]>([]);
const band = computed(() => {
    const named = String(props.form.valueOf('band') ?? '1');
    return props.item?.raster.bands.find((one) => String(one.number) === named || one.role === named)?.number ?? 1;
});
const limits = computed(() => ((props.form.valueOf('limits') as unknown[] | undefined) ?? []).map(Number).filter((limit) => !Number.isNaN(limit)));
const texts = (name: string) => ((props.form.valueOf(name) as string[] | undefined) ?? []).map(String);
const plainName = (i: number) => {
    const at = limits.value;
    return i === 0 ? `below ${at[0]}` : i < at.length ? `${at[i - 1]} to ${at[i]}` : `${at[i - 1]} and above`;
};
/** “-” stands for the name that follows from the limits. */
const slices = computed(() => {
    const names = Array.from({ length: limits.value.length + 1 }, (_, i) => (texts('names')[i] ?? '-').replace(/^-$/, ''));
    const colours = classColours(
        names.map((name, i) => name || plainName(i)),
        texts('colours'),
    );
    return names.map((name, i) => ({ name, colour: colours[i]! }));
});

let proposed: number | null = null;
watch(
    [() => props.item?.id, band],
    async () => {
        data.value = null;
        const { item } = props;
        if (!item) return;
        const found = await histogram(item, band.value).catch(() => null);
        if (item !== props.item || !found) return;
        data.value = found;
        // what was only proposed for another band gives way to what fits this one
        const isUntouched = !limits.value.length || (limits.value.length === 1 && limits.value[0] === proposed);
        if (isUntouched && found.otsu !== null) props.form.set('limits', [(proposed = round(found.otsu))]);
    },
    { immediate: true },
);

watch(
    [() => props.item?.id, band, () => bench.store.study.value?.pegs],
    async () => {
        const { item } = props;
        const pegs = bench.store.study.value?.pegs ?? [];
        if (!item) return;
        const values = await valuesAt(item, pegs);
        pegValues.value = pegs.flatMap((peg) => {
            const value = values.get(peg.id)?.[band.value - 1];
            return value === null || value === undefined ? [] : [{ letter: peg.letter, value, colour: pegColour(peg.letter) }];
        });
    },
    { immediate: true },
);

const round = (value: number) => roundTo(value, [data.value?.minimum ?? 0, data.value?.maximum ?? 1]);

/** What falls where, by the histogram: at once, and exact to a bin. The run counts pixels. */
const shares = computed(() => {
    if (!data.value) return [];
    const { counts, minimum, maximum, pixels } = data.value;
    const width = (maximum - minimum) / counts.length;
    const out = new Array<number>(limits.value.length + 1).fill(0);
    counts.forEach((count, bin) => {
        const from = minimum + bin * width;
        let rest = count;
        limits.value.forEach((limit, i) => {
            const below = Math.min(1, Math.max(0, (limit - from) / (width || 1))) * count - (count - rest);
            if (below > 0) {
                out[i]! += below;
                rest -= below;
            }
        });
        out[limits.value.length]! += rest;
    });
    return out.map((count) => count / Math.max(1, pixels));
});
const area = computed(() => {
    const pixel = props.item?.raster?.own.hectares ?? null;
    return pixel === null || !data.value ? null : data.value.pixels * data.value.reduced ** 2 * pixel;
});

const evidence = computed(() => {
    if (limits.value.length !== 1 || !pegValues.value.length) return '';
    const [limit] = limits.value as [number];
    const letters = (list: { letter: string }[]) => `peg${list.length > 1 ? 's' : ''} ${list.map((peg) => peg.letter).join(', ')}`;
    const upper = pegValues.value.filter((peg) => peg.value >= limit);
    const lower = pegValues.value.filter((peg) => peg.value < limit);
    const nearest = [...pegValues.value].sort((a, b) => Math.abs(a.value - limit) - Math.abs(b.value - limit))[0]!;
    const sides = [upper.length ? `${letters(upper)} at or above` : '', lower.length ? `${letters(lower)} below` : ''].filter(Boolean).join(', ');
    return `${sides.charAt(0).toUpperCase()}${sides.slice(1)}; ${nearest.letter} is nearest, ${number(Math.abs(nearest.value - limit), 3)} from the limit.`;
});

function setLimit(index: number, value: number): void {
    if (Number.isNaN(value)) return;
    const at = [...limits.value];
    at[index] = Math.min(at[index + 1] ?? Infinity, Math.max(at[index - 1] ?? -Infinity, value));
    props.form.set('limits', at);
}
function add(): void {
    const high = data.value?.maximum ?? 1;
    const last = limits.value[limits.value.length - 1] ?? data.value?.minimum ?? 0;
    props.form.edit((draft) => {
        draft.settings.limits = [...limits.value, round((last + high) / 2)];
        for (const name of ['names', 'colours']) delete draft.settings[name];
    });
}
function remove(index: number): void {
    props.form.edit((draft) => {
        draft.settings.limits = limits.value.filter((_, i) => i !== index);
        for (const name of ['names', 'colours']) if (draft.settings[name]) draft.settings[name] = texts(name).filter((_, i) => i !== index + 1);
    });
}
function nameSlice(index: number, name: string): void {
    const known = bench.store.study.value?.legend.find((entry) => entry.name === name);
    props.form.edit((draft) => {
        draft.settings.names = slices.value.map((slice, i) => (i === index ? name.trim() : slice.name) || '-');
        // a class keeps the colour that it has in the study's legend
        if (known) draft.settings.colours = slices.value.map((slice, i) => (i === index ? known.colour : slice.colour));
    });
}
function colourSlice(index: number, colour: string): void {
    props.form.set(
        'colours',
        slices.value.map((slice, i) => (i === index ? colour : slice.colour)),
    );
}

const choosing = computed(
    () => props.item !== null && limits.value.length > 0 && props.form.trial.value === null && (bench.desk.step.value === null || props.form.changed.value),
);
watch(
    [choosing, limits, slices, band, () => props.item?.id],
    () => {
        if (!choosing.value || !props.item) {
            bench.views.live.value = null;
            return;
        }
        const source = Object.values(props.form.draft.value.inputs).find((input) => input.step);
        if (
            source &&
            (!sameSource(bench.views.looks.b.value.source, { step: source.step!, output: source.output ?? 'result' }) || bench.views.looks.b.value.over)
        ) {
            bench.views.looks.b.value = { ...lookFor(props.item, { step: source.step!, output: source.output ?? 'result' }), band: band.value };
        }
        bench.views.live.value = {
            item: props.item,
            opacity: 0.75,
            style: { kind: 'sides', band: band.value, limits: [...limits.value], colours: slices.value.map((slice) => slice.colour) },
        };
    },
    { immediate: true, deep: true },
);
onBeforeUnmount(() => (bench.views.live.value = null));
</script>

<template>
    <div v-if="item || problem" class="space-y-2" :class="problem ? 'border-l-2 border-madder pl-2' : ''" data-slice>
        <HistogramPlot
            v-if="data"
            :data="data"
            :handles="limits"
            :names="limits.map((_, i) => `Limit ${i + 1}`)"
            :colours="slices.map((slice) => slice.colour)"
            :ticks="pegValues"
            :label="item?.raster.bands.find((one) => one.number === band)?.label ?? 'value'"
            :height="172"
            @change="setLimit"
        />
        <p v-if="problem" role="alert" class="text-sm text-madder">{{ problem }}</p>
        <div v-for="(limit, i) in limits" :key="i" class="grid grid-cols-[6.2rem_1fr_auto] items-center gap-x-2">
            <label :for="`limit-${i}`" class="text-ink-2">{{ limits.length > 1 ? `limit ${i + 1}` : 'limit' }}</label>
            <input
                :id="`limit-${i}`"
                class="field figures"
                inputmode="decimal"
                :value="limit"
                @change="setLimit(i, typedNumber(($event.target as HTMLInputElement).value))"
            />
            <button v-if="limits.length > 1" class="plain text-sm" @click="remove(i)">remove</button>
        </div>
        <p class="flex flex-wrap gap-x-3 text-sm">
            <button class="plain" @click="add">another limit</button>
            <button
                v-if="data?.otsu !== null && data"
                class="plain"
                title="Best threshold of the histogram: greatest variance between the sides (Otsu 1979)"
                @click="setLimit(0, round(data.otsu!))"
            >
                best split {{ short(round(data.otsu!)) }}
            </button>
        </p>
        <p v-if="evidence" class="text-sm text-ink-2">{{ evidence }}</p>
        <table class="w-full text-sm">
            <tbody>
                <tr v-for="(slice, i) in slices" :key="i" class="border-t border-line">
                    <td class="py-1 pr-2">
                        <input
                            type="color"
                            class="h-5 w-7 cursor-pointer border border-line bg-transparent"
                            :aria-label="`Colour of slice ${i + 1}`"
                            :value="slice.colour"
                            @change="colourSlice(i, ($event.target as HTMLInputElement).value)"
                        />
                    </td>
                    <td>
                        <input
                            class="field"
                            list="legend-names"
                            :aria-label="`Name of slice ${i + 1}`"
                            :placeholder="plainName(i)"
                            :value="slice.name"
                            @change="nameSlice(i, ($event.target as HTMLInputElement).value)"
                        />
                    </td>
                    <td class="figures pl-2 text-right whitespace-nowrap" :data-share="i">{{ percent(shares[i]) }}</td>
                    <td v-if="area !== null" class="figures pl-2 text-right whitespace-nowrap">
                        {{ hectares(area * (shares[i] ?? 0), area * Math.max(...shares)) }}
                    </td>
                </tr>
            </tbody>
        </table>
        <datalist id="legend-names"><option v-for="entry in bench.store.study.value?.legend ?? []" :key="entry.name" :value="entry.name" /></datalist>
    </div>
</template>
