<script setup lang="ts">
import { onKeyStroke } from '@vueuse/core';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { api, must, type Mark, type Matrix, type Step } from '../api/client';
import { useBench } from '../bench/useBench';
import { isTyping } from '../bench/keys';
import type { Place } from '../views/geo';
import { findItem, lookFor, rasterSources, type Look, type Source } from '../views/look';
import MatrixTable from './MatrixTable.vue';

/** Check points one by one, in both views and blind to the map; the matrix grows as they are labelled. */
const props = defineProps<{ step: Step }>();
const bench = useBench();

const points = shallowRef<Mark[]>([]);
const drawing = computed(() => bench.drawing.drawings.value.find((one) => one.step === props.step.id) ?? null);
const matrix = shallowRef<Matrix | null>(null);
const at = ref(0);
const working = ref(false);
let before: { a: Look; b: Look; centre?: number[]; resolution?: number } | null = null;

const point = computed(() => points.value[at.value] ?? null);
const map = computed(() => {
    const input = props.step.inputs.map;
    return bench.store.study.value && input?.step ? findItem(bench.store.study.value, { step: input.step, output: input.output ?? 'result' }, []) : null;
});
const classes = computed(() => map.value?.raster.legend ?? []);
const done = computed(() => points.value.filter((one) => one.class).length);
const skipped = computed(() => points.value.filter((one) => one.skipped).length);

async function load(): Promise<void> {
    points.value = drawing.value ? (await must(api.GET('/drawings/{drawing}', { params: { path: { drawing: drawing.value.id } } }))).marks : [];
    await loadMatrix();
}
let round = 0;
async function loadMatrix(): Promise<void> {
    const mine = ++round;
    const found = done.value ? await must(api.GET('/steps/{step}/matrix', { params: { path: { step: props.step.id } } })).catch(() => null) : null;
    if (mine === round) matrix.value = found;
}
watch(
    [() => props.step.id, () => props.step.items[0]?.id, () => drawing.value?.id],
    async () => {
        await bench.store.act(load);
        at.value = Math.max(
            0,
            points.value.findIndex((one) => !one.class && !one.skipped),
        );
    },
    { immediate: true },
);

/** The sharpest picture of the day in natural colours, and the same day in near infrared: never the map itself. */
function begin(): void {
    const images = rasterSources(bench.store.study.value!).filter(({ item }) => item.raster.content === 'image' && item.raster.bands.length >= 3);
    const best = images.find(({ item }) => item.raster.bands[0]?.unit === 'reflectance') ?? images[0];
    if (best && !working.value) {
        before = {
            a: bench.views.looks.a.value,
            b: bench.views.looks.b.value,
            centre: bench.views.shared.view.getCenter(),
            resolution: bench.views.shared.view.getResolution(),
        };
        const source: Source = best.source;
        bench.views.looks.a.value = lookFor(best.item, source, true);
        bench.views.looks.b.value = lookFor(best.item, source);
    }
    working.value = true;
    show();
}
function end(): void {
    working.value = false;
    bench.views.framed.value = null;
    if (before) {
        [bench.views.looks.a.value, bench.views.looks.b.value] = [before.a, before.b];
        bench.views.shared.view.setCenter(before.centre);
        bench.views.shared.view.setResolution(before.resolution);
    }
    before = null;
}
function show(): void {
    if (!point.value || !map.value) return;
    const pixel = Math.hypot(map.value.raster.transform[1]!, map.value.raster.transform[4]!);
    const [x, y] = point.value.geometry?.coordinates as Place;
    bench.views.framed.value = { x, y, pixel };
    bench.views.shared.goTo([x, y], pixel, 6);
}
onBeforeUnmount(() => working.value && end());

function go(by: number): void {
    at.value = Math.min(points.value.length - 1, Math.max(0, at.value + by));
    show();
}
function onward(): void {
    const open = (one: Mark) => !one.class && !one.skipped;
    const next = points.value.findIndex((one, i) => i > at.value && open(one));
    const any = next >= 0 ? next : points.value.findIndex(open);
    if (any >= 0) at.value = any;
    show();
}
async function change(one: Mark, body: { class?: string | null; skipped?: boolean }): Promise<void> {
    const fresh = await must(api.PATCH('/marks/{mark}', { params: { path: { mark: one.key } }, body }));
    points.value = points.value.map((other) => (other.key === fresh.key ? fresh : other));
    await loadMatrix();
}
async function label(name: string | null, skip = false): Promise<void> {
    const one = point.value;
    if (!one) return;
    await bench.store.remember({
        what: `point ${one.number} ${skip ? 'skipped' : name ? `labelled ${name}` : 'cleared'}`,
        redo: () => change(one, { class: name, skipped: skip }),
        undo: async () => {
            await change(one, { class: one.class, skipped: one.skipped });
            at.value = points.value.findIndex((other) => other.key === one.key);
            show();
        },
    });
    if (name || skip) onward();
}
async function note(text: string): Promise<void> {
    const one = point.value!;
    await bench.store.act(async () => {
        const fresh = await must(api.PATCH('/marks/{mark}', { params: { path: { mark: one.key } }, body: { note: text || null } }));
        points.value = points.value.map((other) => (other.key === fresh.key ? fresh : other));
    });
}

onKeyStroke(
    (event) => working.value && !isTyping(event) && !event.ctrlKey && !event.metaKey && !event.altKey,
    (event) => {
        const digit = /^[1-9]$/.test(event.key) ? classes.value[Number(event.key) - 1] : undefined;
        if (digit) void label(digit.name);
        else if (event.key === 'x') void label(null, true);
        else if (event.key === '0') void label(null);
        else if (event.key === ',') go(-1);
        else if (event.key === '.') go(1);
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
            <a class="plain text-sm" :href="`/api/drawings/${drawing?.id}/file`" download>points as GeoJSON</a>
        </p>
        <button v-if="!working" class="action-first w-full" data-label-points @click="begin">{{ done ? 'Go on labelling' : 'Label the points' }}</button>
        <div v-else-if="point" class="space-y-2">
            <p class="flex items-baseline justify-between border-b border-line pb-1">
                <span
                    >Point <b class="figures" data-point>{{ point.number }}</b> of {{ points.length
                    }}<span class="text-ink-2"> · {{ point.class ?? (point.skipped ? 'skipped' : 'unlabelled') }}</span></span
                >
                <span class="space-x-3 text-sm"
                    ><button class="plain" title="," :disabled="at === 0" @click="go(-1)">back</button
                    ><button class="plain" title="." :disabled="at >= points.length - 1" @click="go(1)">on</button></span
                >
            </p>
            <p class="text-sm text-ink-2">What is really inside the frame?</p>
            <div class="grid grid-cols-2 gap-1.5">
                <button
                    v-for="(entry, i) in classes"
                    :key="entry.value"
                    class="flex items-center gap-2 rounded border px-2 py-1.5 text-left"
                    :class="point.class === entry.name ? 'border-verdigris bg-paper-2 font-semibold' : 'border-line hover:bg-paper-2'"
                    :aria-pressed="point.class === entry.name"
                    :data-class="entry.name"
                    @click="label(entry.name)"
                >
                    <kbd v-if="i < 9" class="figures text-ink-2">{{ i + 1 }}</kbd><span
                        class="size-3 border border-ink-2"
                        :style="{ background: entry.colour }"
                    />{{ entry.name }}
                </button>
            </div>
            <p class="flex gap-4 text-sm">
                <button class="plain" title="X" @click="label(null, true)">skip it (X)</button
                ><button v-if="point.class" class="plain" title="0" @click="label(null)">clear (0)</button
                ><button class="plain ml-auto" @click="end">done for now</button>
            </p>
            <input
                class="field"
                aria-label="Note on this point"
                placeholder="note on this point"
                :value="point.note ?? ''"
                @change="note(($event.target as HTMLInputElement).value)"
            />
        </div>
        <MatrixTable v-if="matrix && matrix.points" :matrix="matrix" />
    </section>
</template>
