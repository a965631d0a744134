<script setup lang="ts">
import { onKeyStroke } from '@vueuse/core';
import { computed, nextTick, onBeforeUnmount, ref, shallowRef, useTemplateRef, watch } from 'vue';
import { api, must, upload, type Agreement, type Mark, type Step } from '../api/client';
import { useBench } from '../bench/useBench';
import { isTyping } from '../bench/keys';
import { hectares, percent } from '../plots/format';
import type { Place } from '../views/geo';
import { findItem, lookFor, rasterSources, type Look } from '../views/look';
import AgreementLine from './AgreementLine.vue';
import { changesBetween, type Change } from './changes';
import MatrixTable from './MatrixTable.vue';
import PointSpectrum from './PointSpectrum.vue';
import { sureness, useLabelling, type Sure } from './useLabelling';

/** Check points one by one, in both views and blind to the map: while they are labelled only counts are told, figures when one asks or is done. */
const props = defineProps<{ step: Step }>();
const bench = useBench();
const labelling = useLabelling(bench, props.step);
const { points, drawing, matrix, was, agreement, name, isWorking, settling, asked, isBlind, done, skipped } = labelling;
const at = ref(0);
let before: { a: Look; b: Look; centre?: number[]; resolution?: number } | null = null;

/** Points to be settled, with what each said of them. */
const apart = shallowRef<Agreement['apart']>([]);
/** Those that are gone through: all, or those to be settled. */
const ways = computed(() => {
    const keys = new Set(apart.value.map((one) => one.key));
    return settling.value ? points.value.filter((one) => keys.has(one.key)) : points.value;
});
const others = computed(() => (settling.value ? (apart.value.find((one) => one.key === point.value?.key)?.said ?? []) : []));
const point = computed(() => ways.value[at.value] ?? null);
const map = computed(() => {
    const input = props.step.inputs.map;
    return bench.store.study.value && input?.step ? findItem(bench.store.study.value, { step: input.step, output: input.output ?? 'result' }, []) : null;
});
const classes = computed(() => map.value?.raster.legend ?? []);
const changes = computed(() => (isWorking.value && was.value && matrix.value ? changesBetween(was.value, matrix.value) : []));
const told = (change: Change, value: number | null) =>
    value === null ? '–' : change.kind === 'hectares' ? hectares(value) : change.kind === 'share' ? percent(value, 2) : String(value);

watch(
    [() => props.step.items[0]?.id, () => drawing.value?.id],
    async () => {
        if (await bench.store.act(labelling.load)) toOpen();
    },
    { immediate: true },
);
const isOpen = (one: Mark) => !one.class && !one.skipped;
function toOpen(): void {
    at.value = Math.max(0, ways.value.findIndex(isOpen));
}

/** Pictures that can be looked at: never the map, nor what was made of it. */
/** Images as a sensor saw them; a difference of two dates would show what the map says. */
const pictures = computed(() =>
    rasterSources(bench.store.study.value!).filter(
        ({ item: { raster } }) =>
            raster.content === 'image' && raster.bands.length >= 3 && !raster.bands.some(({ scale }) => ['signed', 'ratio'].includes(scale ?? '')),
    ),
);
/** The sharpest pictures of the first and the last date, else one date in natural colours and in near infrared. */
function look(): void {
    const measured = pictures.value.filter(({ item }) => item.raster.bands[0]?.unit === 'reflectance');
    const best = measured.length ? measured : pictures.value;
    // the furthest that corrections have come of each date: what was made last
    const days = [...new Set(best.map(({ item }) => item.raster.date ?? ''))].sort();
    const of = (day: string | undefined) => best.filter(({ item }) => (item.raster.date ?? '') === day).pop();
    const [first, last] = [of(days[0]), days.length > 1 ? of(days[days.length - 1]) : undefined];
    if (!first) return;
    bench.views.looks.a.value = lookFor(first.item, first.source, true);
    bench.views.looks.b.value = last ? lookFor(last.item, last.source, true) : lookFor(first.item, first.source);
}
async function begin(settle = false): Promise<void> {
    if (!isWorking.value) {
        before = {
            a: bench.views.looks.a.value,
            b: bench.views.looks.b.value,
            centre: bench.views.shared.view.getCenter(),
            resolution: bench.views.shared.view.getResolution(),
        };
        look();
    }
    apart.value = settle ? (agreement.value?.apart ?? []) : [];
    [settling.value, isWorking.value, asked.value, was.value] = [settle, true, false, null];
    labelling.clear();
    if (await bench.store.act(labelling.load)) toOpen();
    show();
}
async function end(): Promise<void> {
    [isWorking.value, settling.value] = [false, false];
    bench.views.framed.value = null;
    if (before) {
        [bench.views.looks.a.value, bench.views.looks.b.value] = [before.a, before.b];
        bench.views.shared.view.setCenter(before.centre);
        bench.views.shared.view.setResolution(before.resolution);
    }
    before = null;
    await bench.store.act(labelling.load);
}
/** From close by to the land around: pixels of the screen for one of the map. */
const zooms = [
    { name: 'close', screen: 14 },
    { name: 'near', screen: 6 },
    { name: 'around', screen: 2.5 },
    { name: 'far', screen: 0.8 },
];
const zoom = ref(1);
function show(): void {
    if (!point.value || !map.value) return;
    const pixel = Math.hypot(map.value.raster.transform[1]!, map.value.raster.transform[4]!);
    const [x, y] = point.value.geometry?.coordinates as Place;
    bench.views.framed.value = { x, y, pixel };
    bench.views.shared.goTo([x, y], pixel, zooms[zoom.value]!.screen);
}
function setZoom(index: number): void {
    zoom.value = (index + zooms.length) % zooms.length;
    show();
}
/** View B shows the next picture of the place. */
function nextPicture(): void {
    const list = pictures.value;
    const now = list.findIndex(
        ({ source }) => source.step === bench.views.looks.b.value.source?.step && source.output === bench.views.looks.b.value.source.output,
    );
    const next = list[(now + 1) % list.length];
    if (next) bench.views.looks.b.value = lookFor(next.item, next.source, true);
}
onBeforeUnmount(() => {
    if (isWorking.value) void end();
});

function go(by: number): void {
    at.value = Math.min(ways.value.length - 1, Math.max(0, at.value + by));
    show();
}
function onward(): void {
    const next = ways.value.findIndex((one, i) => i > at.value && isOpen(one));
    const any = next >= 0 ? next : ways.value.findIndex(isOpen);
    if (any >= 0) at.value = any;
    show();
}
const back = (mark: Mark) => () => {
    at.value = Math.max(
        0,
        ways.value.findIndex((other) => other.key === mark.key),
    );
    show();
};

/** What is said beside the label, before it is given: it goes along with it. */
const beside = ref<{ second: string | null; sure: Sure | null }>({ second: null, sure: null });
watch(
    () => point.value?.key,
    () => (beside.value = { second: null, sure: null }),
);
const second = computed(() => point.value?.second ?? beside.value.second);
const sure = computed(() => point.value?.sure ?? beside.value.sure);
async function label(name: string | null, skip = false): Promise<void> {
    const one = point.value;
    if (!one) return;
    const isAnew = one.class !== null;
    const said = { class: name, skipped: skip, ...(name && !isAnew ? beside.value : {}), ...(second.value === name ? { second: null } : {}) };
    const told = labelling.say(one, said, skip ? 'skipped' : name ? `labelled ${name}` : 'cleared', back(one));
    // a label that is corrected stays in sight, with what it changes
    if ((name || skip) && !isAnew) onward();
    await told;
}
async function also(name: string): Promise<void> {
    const one = point.value;
    if (!one || one.class === name) return;
    const value = second.value === name ? null : name;
    if (one.class) await labelling.say(one, { second: value }, value ? `also ${value}` : 'without an alternative class', back(one));
    else beside.value.second = value;
}
async function howSure(value: Sure): Promise<void> {
    const one = point.value;
    if (!one) return;
    if (one.class) await labelling.say(one, { sure: value }, value, back(one));
    else beside.value.sure = value;
}
const noteField = useTemplateRef<HTMLInputElement>('noteField');

const problem = ref('');
const said = ref('');
async function bringIn(event: Event): Promise<void> {
    const input = event.target as HTMLInputElement;
    const files = [...(input.files ?? [])];
    input.value = '';
    if (!files.length || !drawing.value) return;
    [problem.value, said.value] = ['', ''];
    try {
        const { upload: sent } = await upload(bench.id, files, () => {}).done;
        const body = { upload: sent, person: name.value.trim() };
        const taken = await must(api.POST('/drawings/{drawing}/labels', { params: { path: { drawing: drawing.value.id } }, body }));
        const rest = [taken.strange ? `${taken.strange} match no point here` : '', taken.without ? `${taken.without} have no label` : ''].filter(Boolean);
        said.value = `${taken.taken} labels were imported${rest.length ? `; ${rest.join(', ')}` : ''}.`;
        await labelling.load();
    } catch (error) {
        problem.value = (error as Error).message;
    }
}

onKeyStroke(
    (event) => isWorking.value && !isTyping(event) && !event.ctrlKey && !event.metaKey && !event.altKey,
    (event) => {
        const digit = /^Digit([1-9])$/.exec(event.code)?.[1] ?? (/^[1-9]$/.test(event.key) ? event.key : undefined);
        const entry = digit ? classes.value[Number(digit) - 1] : undefined;
        const does: Record<string, () => unknown> = {
            x: () => label(null, true),
            '0': () => label(null),
            ',': () => go(-1),
            '.': () => go(1),
            u: () => howSure(sureness[(sureness.indexOf(sure.value ?? 'unsure') + 1) % sureness.length]!),
            z: () => setZoom(zoom.value + 1),
            b: nextPicture,
            n: () => nextTick(() => noteField.value?.focus()),
        };
        if (entry && event.shiftKey) void also(entry.name);
        else if (entry) void label(entry.name);
        else if (does[event.key]) void does[event.key]!();
        else return;
        event.preventDefault();
    },
);
</script>

<template>
    <section class="space-y-3 border-t border-line pt-3" data-check>
        <p class="flex items-baseline justify-between">
            <span
                ><b class="figures">{{ done }}</b> of <span class="figures">{{ points.length }}</span> labelled<span v-if="skipped" class="text-ink-2"
                    >, {{ skipped }} skipped</span
                ></span
            >
            <span class="space-x-2 text-sm"
                ><a class="plain" :href="`/api/drawings/${drawing?.id}/file`" download>GeoJSON</a
                ><a
                    class="plain"
                    :href="`/api/drawings/${drawing?.id}/file?as=csv`"
                    title="For field work: positions and labels, without the classes of the map"
                    download
                    data-field-table
                    >CSV</a
                ><label class="plain cursor-pointer"
                    >import labels<input type="file" class="sr-only" accept=".csv,.geojson,.json" data-bring-in @change="bringIn" /></label
            ></span>
        </p>
        <p v-if="said" class="text-sm text-ink-2" role="status" data-brought>{{ said }}</p>
        <p v-if="problem" role="alert" class="text-sm text-madder">{{ problem }}</p>
        <template v-if="!isWorking">
            <label class="grid grid-cols-[6.2rem_1fr] items-center gap-x-2"
                ><span class="text-ink-2">interpreter</span><input v-model="name" class="field" maxlength="60" placeholder="not named" data-person
            /></label>
            <button class="action-first w-full" data-label-points @click="begin()">{{ done ? 'Continue labelling' : 'Label the points' }}</button>
        </template>
        <div v-else-if="point" class="space-y-2">
            <p class="flex items-baseline justify-between border-b border-line pb-1">
                <span
                    >Point <b class="figures" data-point>{{ point.number }}</b> of {{ ways.length
                    }}<span class="text-ink-2">
                        · {{ point.class ?? (point.skipped ? 'skipped' : 'unlabelled')
                        }}{{ settling ? ' · resolved together' : name.trim() ? ` · ${name.trim()}` : '' }}</span
                    ></span
                >
                <span class="space-x-3 text-sm"
                    ><button class="plain" title="," :disabled="at === 0" @click="go(-1)">back</button
                    ><button class="plain" title="." :disabled="at >= ways.length - 1" @click="go(1)">on</button></span
                >
            </p>
            <p v-if="others.length" class="text-sm" data-others>{{ others.map((one) => `${one.name || 'no name'}: ${one.class}`).join(' · ') }}</p>
            <p class="flex flex-wrap justify-between gap-x-3 text-sm text-ink-2">
                <span>Which class is in the frame?</span>
                <span class="space-x-2" role="group" aria-label="Zoom (Z)"
                    ><button
                        v-for="(one, i) in zooms"
                        :key="one.name"
                        class="plain"
                        :class="i === zoom ? 'font-semibold' : ''"
                        :aria-pressed="i === zoom"
                        title="Z"
                        :data-zoom="one.name"
                        @click="setZoom(i)"
                    >
                        {{ one.name }}
                    </button></span
                >
            </p>
            <div class="grid grid-cols-2 gap-1.5">
                <button
                    v-for="(entry, i) in classes"
                    :key="entry.value"
                    class="flex items-center gap-2 rounded border px-2 py-1.5 text-left"
                    :class="point.class === entry.name ? 'border-verdigris bg-paper-2 font-semibold' : 'border-line hover:bg-paper-2'"
                    :aria-pressed="point.class === entry.name"
                    :title="i < 9 ? `${i + 1}; with Shift as the alternative class` : 'With Shift as the alternative class'"
                    :data-class="entry.name"
                    @click.exact="label(entry.name)"
                    @click.shift="also(entry.name)"
                >
                    <kbd v-if="i < 9" class="figures text-ink-2">{{ i + 1 }}</kbd><span
                        class="size-3 border border-ink-2"
                        :style="{ background: entry.colour }"
                    />{{ entry.name }}<span v-if="second === entry.name" class="ml-auto text-xs text-ink-2" data-second>alternative class</span>
                </button>
            </div>
            <p class="flex flex-wrap gap-x-3 text-sm" role="group" aria-label="Confidence (U)">
                <button
                    v-for="one in sureness"
                    :key="one"
                    class="plain"
                    :class="sure === one ? 'font-semibold' : ''"
                    :aria-pressed="sure === one"
                    title="U"
                    :data-sure="one"
                    @click="howSure(one)"
                >
                    {{ one }}
                </button>
                <span class="ml-auto text-ink-2">Shift and a number: alternative class</span>
            </p>
            <p class="flex flex-wrap gap-x-4 text-sm">
                <button class="plain" title="X" @click="label(null, true)">skip it (X)</button
                ><button v-if="point.class" class="plain" title="0" @click="label(null)">clear (0)</button
                ><button class="plain" title="B" @click="nextPicture">another image (B)</button
                ><button class="plain ml-auto" data-done @click="end">finish for now</button>
            </p>
            <input
                ref="noteField"
                class="field"
                aria-label="Note on this point"
                placeholder="note on this point (N)"
                :value="point.note ?? ''"
                @change="labelling.note(point, ($event.target as HTMLInputElement).value)"
                @keydown.enter.prevent="($event.target as HTMLInputElement).blur()"
                @keydown.esc.stop="($event.target as HTMLInputElement).blur()"
            />
            <PointSpectrum :place="point.geometry?.coordinates as Place" />
        </div>
        <p v-else class="text-sm text-ink-2">Nothing is left to resolve. <button class="plain" @click="end">Done</button></p>
        <table v-if="changes.length" class="w-full text-sm" data-changes>
            <caption class="text-left text-ink-2">
                effect of the last label
            </caption>
            <tbody>
                <tr v-for="change in changes" :key="change.what" class="border-t border-line">
                    <td>{{ change.what }}</td>
                    <td class="figures text-right text-ink-2">{{ told(change, change.from) }}</td>
                    <td class="figures pl-2 text-right">{{ told(change, change.to) }}</td>
                </tr>
            </tbody>
        </table>
        <AgreementLine v-if="agreement && !isWorking" :agreement="agreement" @settle="begin(true)" />
        <button v-if="isBlind && done" class="plain text-sm" data-ask @click="bench.store.act(labelling.ask)">show the results so far</button>
        <MatrixTable v-if="matrix" :matrix="matrix" :map="map" />
    </section>
</template>
