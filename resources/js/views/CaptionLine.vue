<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue';
import { computed, ref, watch } from 'vue';
import type { Histogram } from '../api/client';
import { useBench } from '../bench/useBench';
import type { Side } from '../views/useViews';
import HistogramPlot from '../plots/HistogramPlot.vue';
import { longDate, number, percent } from '../plots/format';
import LineChoice from './vectors/LineChoice.vue';
import { findItem, histogram, itemLabel, lookFor, rasterSources, sameBand, sameGrid, sameSource, stretched, throughTime, type Source } from './look';
import { rampFor, rampGradient, ramps, scaleText } from './ramps';

const props = defineProps<{ side: Side }>();
const bench = useBench();
const look = bench.views.looks[props.side];
const opens = props.side === 'b' ? 'right-0 left-auto!' : '';

const sources = computed(() => (bench.store.study.value ? rasterSources(bench.store.study.value) : []));
const item = computed(() => (bench.store.study.value ? findItem(bench.store.study.value, look.value.source, bench.store.trials.value) : null));
const over = computed(() => (bench.store.study.value ? findItem(bench.store.study.value, look.value.over, bench.store.trials.value) : null));
const times = computed(() => (bench.store.study.value ? throughTime(bench.store.study.value, look.value.source) : []));
const overlays = computed(() => sources.value.filter((one) => one.item.raster.content !== 'image'));
const { vectors } = bench;
/** What segments are shaded by, where they are. */
const shadedBy = computed(() => {
    const { value: shading } = bench.segments.shading;
    if (!shading || !sameSource(shading.segments, look.value.over)) return '';
    return ` by ${shading.measure.length > 14 ? `${shading.measure.slice(0, 13)}…` : shading.measure}`;
});
const laid = computed(() =>
    [
        over.value ? `${label(look.value.over)}${shadedBy.value} ${percent(look.value.opacity, 0)}` : '',
        ...look.value.lines.map((line) => vectors.labelOf(line)),
    ].filter(Boolean),
);
const overText = computed(() => (laid.value.length > 1 ? `${laid.value[0]} +${laid.value.length - 1}` : (laid.value[0] ?? '')));
const label = (source: Source | null) =>
    source
        ? itemLabel(
              bench.store.steps.value.find((step) => step.id === source.step),
              source.output,
          )
        : '';
const bands = computed(() => item.value?.raster.bands ?? []);
const isImage = computed(() => item.value?.raster.content === 'image');
/** The same at dates before, on the same grid: what can be laid into one picture with it. */
const earlier = computed(() =>
    times.value.filter((one) => {
        const other = bench.store.study.value && findItem(bench.store.study.value, one.source, []);
        return other && one.time < (item.value?.raster.time ?? item.value?.raster.date ?? '') && sameGrid(other.raster.own, item.value!.raster.own);
    }),
);
const beside = computed(() => {
    const other = bench.store.study.value ? findItem(bench.store.study.value, look.value.before, []) : null;
    return other && item.value && sameBand(item.value, look.value.band, other) ? other : null;
});
function together(source: Source): void {
    const isOff = sameSource(look.value.before, source);
    const band = item.value?.raster.bands.find((one) => one.role === 'nir')?.number ?? look.value.band;
    look.value = { ...look.value, before: isOff ? null : source, single: !isOff, band: look.value.single ? look.value.band : band };
}
const isSingle = computed(() => look.value.single || !look.value.bands || beside.value !== null);
const shown = computed(() => (isSingle.value ? [Math.min(look.value.band, bands.value.length)] : look.value.bands!));
const bandName = (n: number) => bands.value.find((band) => band.number === n)?.label ?? String(n);
const only = computed(() => (isSingle.value ? bands.value.find((band) => band.number === shown.value[0]) : undefined));
const rampName = computed(() => look.value.ramp ?? rampFor(only.value));
const scale = computed(() => scaleText(only.value));
const bandText = computed(() =>
    isSingle.value ? `${bandName(shown.value[0]!)}${beside.value ? '' : `, ${rampName.value}`}` : shown.value.map(bandName).join('–'),
);
const byHand = computed(() => shown.value.some((band) => look.value.limits[band]));
const stretchText = computed(() => {
    if (byHand.value) return 'manual stretch';
    return scale.value.isFixed ? scale.value.text : [`${look.value.clip[0]}–${look.value.clip[1]} %`, scale.value.text].filter(Boolean).join(' ');
});
const presets = computed(
    () =>
        [
            ['near infrared', ['nir', 'red', 'green']],
            ['natural', ['red', 'green', 'blue']],
            ['short-wave', ['swir1', 'nir', 'red']],
        ]
            .map(([name, roles]) => ({
                name: name as string,
                numbers: (roles as string[]).map((role) => bands.value.find((band) => band.role === role)?.number),
            }))
            .filter(({ numbers }) => numbers.every(Boolean)) as { name: string; numbers: [number, number, number] }[],
);

function choose(source: Source): void {
    const found = sources.value.find((one) => sameSource(one.source, source));
    if (found) look.value = { ...lookFor(found.item, source), over: look.value.over, opacity: look.value.opacity, lines: look.value.lines };
}

const data = ref<Record<number, Histogram>>({});
async function loadHistograms(): Promise<void> {
    if (!item.value || !isImage.value) return;
    const mine = item.value;
    const found = await Promise.all(shown.value.map((band) => histogram(mine, band)));
    if (item.value === mine) data.value = Object.fromEntries(shown.value.map((band, i) => [band, found[i]!]));
}
watch([() => item.value?.id, shown], () => (data.value = {}));
const limits = (band: number): [number, number] => look.value.limits[band] ?? stretched(item.value!, band, data.value[band]!, look.value.clip);
function drag(band: number, index: number, value: number): void {
    const [low, high] = limits(band);
    look.value.limits = { ...look.value.limits, [band]: index === 0 ? [Math.min(value, high), high] : [low, Math.max(value, low)] };
}
function clip(low: number, high: number): void {
    look.value.clip = [low, high];
    look.value.limits = {};
}
const shares = [
    [0, 100],
    [0.5, 99.5],
    [2, 98],
    [5, 95],
] as const;
</script>

<template>
    <div class="flex min-h-11 items-baseline gap-x-2 px-2.5 py-0.5 leading-tight text-xs text-on-surround" :data-caption="side">
        <span class="font-semibold text-white">{{ side.toUpperCase() }}</span>
        <span v-if="!item" class="opacity-80">nothing yet: read a scene at Gather</span>
        <div v-else class="min-w-0 flex-1">
            <Popover class="relative">
                <PopoverButton class="part block max-w-full truncate text-sm/6 text-white" :title="`What is shown: ${label(look.source)}`" data-item>{{
                    label(look.source)
                }}</PopoverButton>
                <PopoverPanel v-slot="{ close }" class="sheet caption-sheet" :class="opens">
                    <p v-if="item.raster.datum" class="w-64 px-3 py-1.5 text-xs text-ink-2" data-datum>{{ item.raster.datum }}</p>
                    <ul class="max-h-72 overflow-auto">
                        <li v-for="one in sources" :key="`${one.source.step}${one.source.output}`">
                            <button
                                class="w-full px-3 py-1 text-left hover:bg-paper-2"
                                :class="sameSource(one.source, look.source) ? 'font-semibold text-verdigris' : ''"
                                @click="
                                    choose(one.source);
                                    close();
                                "
                            >
                                {{ one.label }}
                            </button>
                        </li>
                    </ul>
                </PopoverPanel>
            </Popover>
            <div class="flex min-w-0 items-center gap-x-1">
                <template v-if="item.raster.date">
                    <Popover v-if="times.length > 1" class="relative shrink-0">
                        <PopoverButton class="part whitespace-nowrap" title="The same at other times: Shift+, and Shift+. step through them" data-times
                            ><template v-if="beside">{{ longDate(beside.raster.date) }} <span class="text-[#ff8a80]">red</span> and </template
                            >{{ longDate(item.raster.date) }}<template v-if="beside"> <span class="text-[#80f0ee]">cyan</span></template></PopoverButton
                        >
                        <PopoverPanel v-slot="{ close }" class="sheet caption-sheet" :class="opens">
                            <button
                                v-for="one in times"
                                :key="`${one.source.step}${one.source.output}`"
                                class="block w-full px-3 py-1 text-left hover:bg-paper-2"
                                :class="sameSource(one.source, look.source) ? 'font-semibold text-verdigris' : ''"
                                @click="
                                    look.source = one.source;
                                    close();
                                "
                            >
                                {{ longDate(one.date) }}
                            </button>
                            <template v-if="isImage && earlier.length">
                                <p class="mt-1 border-t border-line px-3 pt-1 text-ink-2">combined with, red where it was higher</p>
                                <button
                                    v-for="one in earlier"
                                    :key="`with ${one.source.step}`"
                                    class="block w-full px-3 py-1 text-left hover:bg-paper-2"
                                    :class="sameSource(one.source, look.before) ? 'font-semibold text-verdigris' : ''"
                                    :aria-pressed="sameSource(one.source, look.before)"
                                    :data-with="one.date"
                                    @click="
                                        together(one.source);
                                        close();
                                    "
                                >
                                    {{ longDate(one.date) }}
                                </button>
                            </template>
                        </PopoverPanel>
                    </Popover>
                    <span v-else class="shrink-0 whitespace-nowrap">{{ longDate(item.raster.date) }}</span>
                </template>
                <template v-if="isImage">
                    <span v-if="item.raster.date">·</span>
                    <Popover class="relative min-w-0">
                        <PopoverButton class="part block max-w-full truncate" :title="`Bands and colours: ${bandText}`">{{ bandText }}</PopoverButton>
                        <PopoverPanel class="sheet caption-sheet w-64 p-3" :class="opens">
                            <div v-if="bands.length >= 3" class="mb-2 flex gap-4">
                                <label class="flex items-center gap-1"
                                    ><input
                                        type="radio"
                                        :checked="!isSingle"
                                        @change="
                                            look.single = false;
                                            look.bands ??= [3, 2, 1];
                                        "
                                    />
                                    three bands</label
                                >
                                <label class="flex items-center gap-1"><input type="radio" :checked="isSingle" @change="look.single = true" /> one band</label>
                            </div>
                            <template v-if="!isSingle">
                                <label v-for="(channel, i) in ['red', 'green', 'blue']" :key="channel" class="mb-1 grid grid-cols-[4.5rem_1fr] items-center">
                                    <span class="text-ink-2">as {{ channel }}</span>
                                    <select class="field" :value="look.bands![i]" @change="look.bands![i] = Number(($event.target as HTMLSelectElement).value)">
                                        <option v-for="band in bands" :key="band.number" :value="band.number">{{ band.number }} {{ band.label }}</option>
                                    </select>
                                </label>
                                <p class="mt-2 flex flex-wrap gap-x-3">
                                    <button v-for="preset in presets" :key="preset.name" class="plain" @click="look.bands = [...preset.numbers]">
                                        {{ preset.name }}
                                    </button>
                                </p>
                            </template>
                            <template v-else>
                                <label v-if="bands.length > 1" class="mb-2 grid grid-cols-[4.5rem_1fr] items-center">
                                    <span class="text-ink-2">band</span>
                                    <select v-model.number="look.band" class="field">
                                        <option v-for="band in bands" :key="band.number" :value="band.number">{{ band.number }} {{ band.label }}</option>
                                    </select>
                                </label>
                                <button
                                    v-for="(_, name) in ramps"
                                    :key="name"
                                    class="flex w-full items-center gap-2 py-0.5 text-left hover:bg-paper-2"
                                    :class="rampName === name ? 'font-semibold text-verdigris' : ''"
                                    @click="look.ramp = name"
                                >
                                    <span class="h-3 w-24 rounded-sm" :style="{ background: rampGradient(name) }" />{{ name }}
                                </button>
                            </template>
                        </PopoverPanel>
                    </Popover>
                    <span>·</span>
                    <Popover class="relative shrink-0">
                        <PopoverButton class="part whitespace-nowrap" title="Stretch: values shown as dark and bright" @click="loadHistograms">{{
                            stretchText
                        }}</PopoverButton>
                        <PopoverPanel class="sheet caption-sheet w-80 p-3" :class="opens">
                            <p v-if="scale.isFixed" class="mb-2">
                                <button class="plain" :class="byHand ? '' : 'font-semibold'" @click="look.limits = {}">{{ scale.text }}</button>
                            </p>
                            <p v-else class="mb-2 flex flex-wrap items-center gap-x-3">
                                <button
                                    v-for="[low, high] in shares"
                                    :key="low"
                                    class="plain"
                                    :class="!byHand && look.clip[0] === low ? 'font-semibold' : ''"
                                    @click="clip(low, high)"
                                >
                                    {{ low }}–{{ high }} %
                                </button>
                            </p>
                            <p v-if="!scale.isFixed" class="mb-1 flex items-center gap-2">
                                <span class="text-ink-2">per cent</span>
                                <input
                                    class="field figures w-16!"
                                    type="number"
                                    min="0"
                                    max="50"
                                    step="0.5"
                                    aria-label="Dark end, per cent"
                                    :value="look.clip[0]"
                                    @change="clip(Number(($event.target as HTMLInputElement).value), look.clip[1])"
                                />
                                <input
                                    class="field figures w-16!"
                                    type="number"
                                    min="50"
                                    max="100"
                                    step="0.5"
                                    aria-label="Bright end, per cent"
                                    :value="look.clip[1]"
                                    @change="clip(look.clip[0], Number(($event.target as HTMLInputElement).value))"
                                />
                            </p>
                            <template v-for="band in shown" :key="band">
                                <HistogramPlot
                                    v-if="data[band]"
                                    :data="data[band]!"
                                    :handles="limits(band)"
                                    :names="[`Dark end of ${bandName(band)}`, `Bright end of ${bandName(band)}`]"
                                    :label="[bandName(band), bands.find((one) => one.number === band)?.unit].filter(Boolean).join(', ')"
                                    :height="82"
                                    @change="(index, value) => drag(band, index, value)"
                                />
                            </template>
                        </PopoverPanel>
                    </Popover>
                </template>
                <span v-if="side === 'b' && bench.views.live.value" class="whitespace-nowrap">· with the limits being chosen</span>
                <template v-else-if="overlays.length || over || vectors.candidates.value.length">
                    <span v-if="overText" class="shrink-0">· with</span>
                    <Popover class="relative" :class="overText ? 'min-w-0 shrink-[2]' : 'shrink-0'">
                        <PopoverButton class="part block max-w-full truncate" :title="overText ? `Overlay: ${laid.join(', ')}` : 'Overlay'" data-over>{{
                            overText || '+ overlay'
                        }}</PopoverButton>
                        <PopoverPanel class="sheet caption-sheet right-0 left-auto! max-h-[70vh] w-72 overflow-auto p-3">
                            <template v-if="overlays.length">
                                <button
                                    class="block w-full py-0.5 text-left hover:bg-paper-2"
                                    :class="look.over ? '' : 'font-semibold text-verdigris'"
                                    @click="look.over = null"
                                >
                                    no map
                                </button>
                                <button
                                    v-for="one in overlays"
                                    :key="`${one.source.step}${one.source.output}`"
                                    class="block w-full py-0.5 text-left hover:bg-paper-2"
                                    :class="sameSource(one.source, look.over) ? 'font-semibold text-verdigris' : ''"
                                    @click="look.over = one.source"
                                >
                                    {{ one.label }}
                                </button>
                                <label v-if="look.over" class="mt-2 grid grid-cols-[4rem_1fr_3rem] items-center gap-2"
                                    ><span class="text-ink-2">opacity</span
                                    ><input v-model.number="look.opacity" type="range" min="0" max="1" step="0.05" /><span class="figures text-right">{{
                                        percent(look.opacity, 0)
                                    }}</span></label
                                >
                                <button v-if="shadedBy" class="plain mt-2" @click="bench.segments.shading.value = null">no longer shaded{{ shadedBy }}</button>
                                <ul v-if="over?.raster.legend" class="mt-2 border-t border-line pt-2">
                                    <li v-for="entry in over.raster.legend" :key="entry.value" class="flex items-center gap-2">
                                        <span class="size-3 border border-ink-2" :style="{ background: entry.colour }" />{{ number(entry.value) }}
                                        {{ entry.name }}
                                    </li>
                                </ul>
                            </template>
                            <LineChoice
                                v-if="vectors.candidates.value.length"
                                v-model="look.lines"
                                :class="overlays.length ? 'mt-2 border-t border-line pt-2' : ''"
                            />
                        </PopoverPanel>
                    </Popover>
                </template>
            </div>
        </div>
    </div>
</template>
