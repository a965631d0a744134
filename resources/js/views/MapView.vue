<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import OlMap from 'ol/Map';
import { defaults } from 'ol/interaction/defaults';
import DragPan from 'ol/interaction/DragPan';
import KeyboardPan from 'ol/interaction/KeyboardPan';
import { all, noModifierKeys, primaryAction, shiftKeyOnly } from 'ol/events/condition';
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from 'vue';
import type { Peg } from '../api/client';
import { drag } from '../drag';
import { useBench } from '../bench/useBench';
import { usePen } from '../draw/usePen';
import { pegColour } from '../plots/format';
import { onGround, type Place } from './geo';
import RasterLayer, { type Picture } from './RasterLayer';
import { scaleBar } from './scaleBar';
import type { Side } from './useViews';
import SegmentCard from './segments/SegmentCard.vue';
import PointedCard from './vectors/PointedCard.vue';
import { useVectorLayers } from './vectors/useVectorLayers';

const props = withDefaults(defineProps<{ side: Side; pictures: Picture[]; behind?: Picture[]; edge?: number | null }>(), { behind: () => [], edge: null });
const emit = defineEmits<{ edge: [share: number] }>();

const bench = useBench();
const { drawing, key, naming, pegs, segments, store, training } = bench;
const { shared } = bench.views;
const target = useTemplateRef<HTMLElement>('target');
const { width, height } = useElementSize(target);
/** Reached by the keys: what a click would do is done in the middle. */
const byKeys = ref(false);
const under = ref(false);
const layer = new RasterLayer();
const map = new OlMap({
    view: shared.view,
    layers: [layer],
    controls: [],
    interactions: defaults({ dragPan: false, doubleClickZoom: false, shiftDragZoom: false }).extend([
        // a sweep over segments leaves the picture where it is
        new DragPan({ condition: (event) => !key.examples.sweeping.value && all(noModifierKeys, primaryAction)(event) }),
        new KeyboardPan({ condition: shiftKeyOnly, pixelDelta: 8, duration: 0 }),
    ]),
});
const at = computed<Place | null>(() => {
    void shared.moved.value;
    return under.value ? shared.cursor.value : byKeys.value ? (shared.view.getCenter() as Place) : null;
});
const { pointed } = useVectorLayers(bench, props.side, map, at);
const pen = usePen(bench, props.side, map);
/** What lies under the cursor: the curtain and the flip show the other side's. */
const shows = computed<Side>(() => {
    const edge = props.edge === null || !at.value ? null : toScreen(...at.value).x > props.edge * width.value;
    return props.side === 'a' && (edge || bench.views.flipped.value) ? 'b' : props.side;
});
watch([at, segments.joined, key.examples.sweeping], ([place]) => {
    if (place) segments.point(shows.value, place);
    else segments.under.value = null;
    naming.point(place);
    if (place && key.examples.sweeping.value) key.examples.sweep(caseAt(place), place);
});
/** What a key would sort at a place: the number of a segment, or of a pixel. */
function caseAt(place: Place): number {
    if (key.examples.isOfPixels.value) return key.examples.pixelAt(place);
    const found = segments.at(shows.value, place);
    return found?.item === key.item.value?.id ? (found?.number ?? 0) : 0;
}
function giveExample(place: Place): void {
    const tool = drawing.tool.value;
    const number = caseAt(place);
    if (tool?.does === 'example' && number) void key.examples.give(tool.answer, new Map([[number, place]]));
}

onMounted(() => map.setTarget(target.value!));
map.on('pointermove', (event) => {
    under.value = true;
    shared.cursor.value = event.coordinate as Place;
});
map.on('click', (event) => {
    if (drawing.tool.value?.does === 'peg') void pegs.add(event.coordinate[0]!, event.coordinate[1]!);
    else if (training.press(event.coordinate as Place) || naming.press(event.coordinate as Place)) return;
    else if (drawing.tool.value?.does === 'example') giveExample(event.coordinate as Place);
    else if (!drawing.tool.value && !key.examples.sweeping.value)
        segments.choose(shows.value, event.coordinate as Place, (event.originalEvent as MouseEvent).shiftKey);
});
onBeforeUnmount(() => map.setTarget(undefined));

watch([() => props.pictures, () => props.behind, () => props.edge], () => layer.show(props.pictures, props.behind, props.edge ?? 1), { immediate: true });
watch([width, height], ([w, h]) => {
    map.updateSize();
    if (w && h && props.side === 'a') shared.size.value = [w, h];
});

const frame = computed(() => {
    void shared.moved.value;
    const [cx, cy] = shared.view.getCenter() ?? [0, 0];
    return { cx: cx!, cy: cy!, resolution: shared.view.getResolution() ?? 1, w: width.value, h: height.value };
});
const toScreen = (x: number, y: number) => {
    const { cx, cy, resolution, w, h } = frame.value;
    return { x: w / 2 + (x - cx) / resolution, y: h / 2 - (y - cy) / resolution };
};
const toPlace = (x: number, y: number): Place => {
    const { cx, cy, resolution, w, h } = frame.value;
    return [cx + (x - w / 2) * resolution, cy - (y - h / 2) * resolution];
};

const moving = ref<{ id: number; x: number; y: number } | null>(null);
const placed = computed(() =>
    (store.study.value?.pegs ?? []).map((peg) => ({
        peg,
        ...(moving.value?.id === peg.id ? moving.value : toScreen(peg.x, peg.y)),
        colour: pegColour(peg.letter),
    })),
);
const exampleMarks = computed(() => key.examples.marks.value.map(({ place, answer }) => ({ ...toScreen(...place), answer })));
const cursor = computed(() => (shared.cursor.value ? toScreen(...shared.cursor.value) : null));
const bar = computed(() => {
    const { cx, cy, resolution, w } = frame.value;
    // over the whole view: a pixel alone is too short to be measured well
    const across = Math.max(1, w);
    return scaleBar(onGround(store.study.value?.crs.definition ?? null, [cx, cy], across * resolution) / across);
});
const does = computed(
    () =>
        ({
            peg: ', Enter drops a peg in the middle',
            draw: ', Enter sets a corner in the middle, Shift+Enter ends',
            grow: ', Enter sets a seed in the middle',
            take: ', Enter takes the segment in the middle',
            name: ', Enter names the cluster in the middle',
            change: ', Enter picks up and drops the corner in the middle, Delete removes it',
        })[drawing.tool.value?.does as 'peg'] ?? (segments.shownIn(props.side) ? ', Enter selects the segment in the middle, with Shift adds it' : ''),
);

function onFocus(event: FocusEvent): void {
    byKeys.value = (event.target as HTMLElement).matches(':focus-visible');
}

function onKey(event: KeyboardEvent): void {
    if (/^(Arrow|Enter|Delete|Tab|[+-]$)/.test(event.key)) byKeys.value = true;
    const middle = shared.view.getCenter() as Place;
    if (event.key === 'Enter' && (training.press(middle) || naming.press(middle))) return;
    if (event.key === 'Enter' && drawing.tool.value?.does === 'example') giveExample(shared.view.getCenter() as Place);
    else if (!pen.press(event) && event.key === 'Enter' && !drawing.tool.value) segments.choose(shows.value, shared.view.getCenter() as Place, event.shiftKey);
}

/** A peg is moved by its letter. */
function grab(peg: Peg, down: PointerEvent): void {
    const start = toScreen(peg.x, peg.y);
    drag(
        (event) => {
            moving.value = { id: peg.id, x: start.x + event.clientX - down.clientX, y: start.y + event.clientY - down.clientY };
        },
        async () => {
            const to = moving.value;
            if (to && Math.hypot(to.x - start.x, to.y - start.y) > 2) await pegs.move(peg, ...toPlace(to.x, to.y));
            moving.value = null;
        },
    );
}

function grabEdge(): void {
    drag((event) => emit('edge', clamp((event.clientX - target.value!.getBoundingClientRect().left) / width.value)));
}
function pressEdge(event: KeyboardEvent): void {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (by) {
        event.preventDefault();
        event.stopPropagation();
        emit('edge', clamp((props.edge ?? 0.5) + by));
    }
}
const clamp = (share: number) => Math.min(0.99, Math.max(0.01, share));
</script>

<template>
    <div class="relative overflow-hidden bg-surround" :data-view="side" :data-arrows="bench.views.arrows.value.length || undefined">
        <div
            ref="target"
            class="absolute inset-0 isolate outline-offset-[-3px]"
            :class="drawing.tool.value ? 'cursor-crosshair' : ''"
            tabindex="0"
            role="application"
            :aria-label="`View ${side.toUpperCase()}: arrow keys move, with Shift a little, + and − zoom${does}`"
            @keydown="onKey"
            @pointerdown="byKeys = false"
            @focus="onFocus"
            @blur="byKeys = false"
            @pointerleave="
                under = false;
                shared.cursor.value = null;
            "
        />
        <svg class="pointer-events-none absolute inset-0 size-full" aria-hidden="true">
            <g v-for="{ peg, x, y, colour } in placed" :key="peg.id" :transform="`translate(${x} ${y})`">
                <path d="M-7 0h5M2 0h5M0-7v5M0 2v5" stroke="#000" stroke-width="3" opacity="0.75" />
                <path d="M-7 0h5M2 0h5M0-7v5M0 2v5" stroke="#fff" stroke-width="1.4" />
                <g class="pointer-events-auto cursor-grab" :data-peg="peg.letter" @pointerdown.prevent="grab(peg, $event)">
                    <rect x="7" y="-22" width="17" height="16" rx="2.5" :fill="colour" stroke="#111" />
                    <text x="15.5" y="-10" text-anchor="middle" font-size="11" font-weight="700" fill="#000">{{ peg.letter }}</text>
                </g>
            </g>
            <g v-for="(mark, i) in exampleMarks" :key="i" :transform="`translate(${mark.x} ${mark.y})`" :data-example-mark="mark.answer">
                <circle r="4.5" :fill="mark.answer === 'yes' ? '#fff' : 'none'" stroke="#000" stroke-width="3.2" opacity="0.85" />
                <circle r="4.5" :fill="mark.answer === 'yes' ? '#1a6b60' : 'none'" stroke="#fff" stroke-width="1.6" />
            </g>
            <g v-if="cursor && !drawing.tool.value" :transform="`translate(${cursor.x} ${cursor.y})`">
                <path d="M-6 0h12M0-6v12" stroke="#000" stroke-width="2.4" opacity="0.5" />
                <path d="M-6 0h12M0-6v12" stroke="#fff" stroke-width="1" />
            </g>
            <g v-if="byKeys" :transform="`translate(${width / 2} ${height / 2})`" fill="none" data-middle>
                <circle r="9" stroke="#000" stroke-width="3" opacity="0.6" />
                <circle r="9" stroke="#fff" stroke-width="1.2" />
                <circle v-if="pen.carried.value" r="4" fill="#fff" stroke="#000" />
            </g>
            <g :transform="`translate(${width - bar.pixels - 14} ${height - 12})`">
                <path :d="`M0 -5v5h${bar.pixels}v-5`" fill="none" stroke="#000" stroke-width="3" opacity="0.6" />
                <path :d="`M0 -5v5h${bar.pixels}v-5`" fill="none" stroke="#fff" stroke-width="1.4" />
                <text
                    :x="bar.pixels / 2"
                    y="-6"
                    text-anchor="middle"
                    font-size="11"
                    fill="#fff"
                    stroke="#000"
                    stroke-width="2.5"
                    stroke-opacity="0.6"
                    paint-order="stroke"
                >
                    {{ bar.label }}
                </text>
            </g>
        </svg>
        <PointedCard v-if="pointed" :pointed="pointed" />
        <SegmentCard v-else-if="at" />
        <div
            v-if="edge !== null"
            class="absolute inset-y-0 w-4 -translate-x-2 cursor-ew-resize touch-none"
            role="slider"
            tabindex="0"
            aria-label="Edge of the curtain"
            aria-valuemin="0"
            aria-valuemax="100"
            :aria-valuenow="Math.round(edge * 100)"
            :style="{ left: `${edge * 100}%` }"
            @pointerdown.prevent="grabEdge()"
            @keydown="pressEdge"
        >
            <div class="mx-auto h-full w-0.5 bg-white shadow-[0_0_0_1px_rgb(0_0_0/0.5)]" />
            <div class="absolute left-1/2 top-1/2 -translate-x-1/2 rounded-sm bg-white px-1 text-xs font-semibold text-black shadow">A B</div>
        </div>
    </div>
</template>
