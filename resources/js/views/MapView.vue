<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import OlMap from 'ol/Map';
import { defaults } from 'ol/interaction/defaults';
import DragPan from 'ol/interaction/DragPan';
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from 'vue';
import type { Pin } from '../api/client';
import { drag } from '../drag';
import { useBench, type Side } from '../bench/useBench';
import { pinColour } from '../plots/format';
import type { Place } from './geo';
import RasterLayer, { type Picture } from './RasterLayer';
import { scaleBar } from './scaleBar';

const props = withDefaults(defineProps<{ side: Side; pictures: Picture[]; behind?: Picture[]; edge?: number | null }>(), { behind: () => [], edge: null });
const emit = defineEmits<{ edge: [share: number] }>();

const bench = useBench();
const { shared } = bench;
const target = useTemplateRef<HTMLElement>('target');
const { width, height } = useElementSize(target);
const focused = ref(false);
const layer = new RasterLayer();
let map: OlMap | null = null;

onMounted(() => {
    map = new OlMap({
        target: target.value!,
        view: shared.view,
        layers: [layer],
        controls: [],
        interactions: defaults({ dragPan: false, doubleClickZoom: false }).extend([new DragPan()]),
    });
    map.on('pointermove', (event) => {
        shared.cursor.value = event.coordinate as Place;
    });
    map.on('click', (event) => {
        if (bench.armed.value === 'pin') void bench.drop(event.coordinate[0]!, event.coordinate[1]!);
        if (bench.armed.value === 'area') corner(event.coordinate as Place);
    });
    // two quick clicks at different places are no double click
    let clicks: number[][] = [];
    map.on('click', (event) => (clicks = [...clicks.slice(-1), event.pixel]));
    map.on('dblclick', () => {
        const [one, other] = clicks as [number[], number[]];
        if (bench.armed.value === 'area' && other && Math.hypot(one[0]! - other[0]!, one[1]! - other[1]!) < 6) close();
    });
});
onBeforeUnmount(() => map?.setTarget(undefined));

watch([() => props.pictures, () => props.behind, () => props.edge], () => layer.show(props.pictures, props.behind, props.edge ?? 1), { immediate: true });
watch([width, height], ([w, h]) => {
    map?.updateSize();
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
const pins = computed(() => (bench.study.value?.pins ?? []).map((pin) => ({ pin, ...(moving.value?.id === pin.id ? moving.value : toScreen(pin.x, pin.y)), colour: pinColour(pin.letter) })));
const cursor = computed(() => (shared.cursor.value ? toScreen(...shared.cursor.value) : null));
const box = computed(() => {
    const at = bench.framed.value;
    if (!at) return null;
    const side = Math.max(9, at.pixel / frame.value.resolution);
    const { x, y } = toScreen(at.x, at.y);
    return { x: x - side / 2, y: y - side / 2, side };
});
const bar = computed(() => scaleBar(frame.value.resolution));

/** A corner of the area; the first one again closes it. */
function corner(place: Place): void {
    const first = bench.sketch.value[0];
    const last = bench.sketch.value[bench.sketch.value.length - 1];
    if (first && bench.sketch.value.length > 2 && Math.hypot(first[0] - place[0], first[1] - place[1]) < 8 * frame.value.resolution) return close();
    if (!last || Math.hypot(last[0] - place[0], last[1] - place[1]) > 2 * frame.value.resolution) bench.sketch.value = [...bench.sketch.value, place];
}
function close(): void {
    if (bench.sketch.value.length > 2) void bench.setArea({ rings: [bench.sketch.value] });
}
const path = (ring: number[][], closed: boolean) => ring.map(([x, y], i) => {
    const at = toScreen(x!, y!);
    return `${i ? 'L' : 'M'}${at.x.toFixed(1)} ${at.y.toFixed(1)}`;
}).join('') + (closed ? 'Z' : '');
const area = computed(() => (bench.study.value?.area?.rings ?? []).map((ring) => path(ring, true)).join(''));
/** A residual of a pixel is fifty long, with a head at its end; nothing is longer than that. */
const arrows = computed(() => bench.arrows.value.map((one) => {
    const { x, y } = toScreen(one.x, one.y);
    const length = Math.hypot(one.columns, one.rows);
    const factor = (50 * Math.min(1, 1 / Math.max(1e-9, length)));
    const [u, v] = [one.columns * factor, one.rows * factor];
    const [a, b] = [x + u, y + v];
    const head = Math.min(5, Math.hypot(u, v) / 2);
    const angle = Math.atan2(v, u);
    const barb = (turn: number) => `M${a.toFixed(1)} ${b.toFixed(1)}L${(a - head * Math.cos(angle + turn)).toFixed(1)} ${(b - head * Math.sin(angle + turn)).toFixed(1)}`;
    return { used: one.used, path: `M${x.toFixed(1)} ${y.toFixed(1)}L${a.toFixed(1)} ${b.toFixed(1)}${barb(0.5)}${barb(-0.5)}` };
}));
const sketch = computed(() => (bench.sketch.value.length ? path([...bench.sketch.value, ...(shared.cursor.value ? [shared.cursor.value] : [])], false) : ''));

function onKey(event: KeyboardEvent): void {
    if (event.key === 'Enter' && bench.armed.value === 'area') {
        if (event.shiftKey) close();
        else corner([frame.value.cx, frame.value.cy]);
    }
    if (event.key === 'Enter' && bench.armed.value === 'pin') void bench.drop(frame.value.cx, frame.value.cy);
}

/** A pin is moved by its letter. */
function grab(pin: Pin, down: PointerEvent): void {
    const start = toScreen(pin.x, pin.y);
    drag((event) => {
        moving.value = { id: pin.id, x: start.x + event.clientX - down.clientX, y: start.y + event.clientY - down.clientY };
    }, async () => {
        const at = moving.value;
        if (at && Math.hypot(at.x - start.x, at.y - start.y) > 2) await bench.movePin(pin, ...toPlace(at.x, at.y));
        moving.value = null;
    });
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
    <div class="relative overflow-hidden bg-surround" :data-view="side">
        <div ref="target" class="absolute inset-0 isolate outline-offset-[-3px]" :class="bench.armed.value ? 'cursor-crosshair' : ''" tabindex="0" role="application"
            :aria-label="`View ${side.toUpperCase()}: arrow keys move, + and − zoom${bench.armed.value ? ', Enter drops a pin in the middle' : ''}`"
            @keydown="onKey" @focus="focused = true" @blur="focused = false" @pointerleave="shared.cursor.value = null" />
        <svg class="pointer-events-none absolute inset-0 size-full" aria-hidden="true">
            <g v-if="area && bench.armed.value !== 'area'" fill="none" data-area-outline>
                <path :d="area" stroke="#000" stroke-width="3.5" opacity="0.55" />
                <path :d="area" stroke="#fff" stroke-width="1.4" stroke-dasharray="7 4" />
            </g>
            <g v-if="arrows.length" fill="none" data-arrows>
                <g v-for="(arrow, i) in arrows" :key="i" :stroke-dasharray="arrow.used ? undefined : '2 2'"><path :d="arrow.path" stroke="#000" stroke-width="3.2" opacity="0.6" /><path :d="arrow.path" stroke="#fff" stroke-width="1.3" /></g>
            </g>
            <g v-if="sketch" fill="none" data-sketch>
                <path :d="sketch" stroke="#000" stroke-width="4" opacity="0.6" />
                <path :d="sketch" stroke="#fff" stroke-width="1.6" />
                <circle v-for="(place, i) in bench.sketch.value" :key="i" :cx="toScreen(...place).x" :cy="toScreen(...place).y" :r="i ? 2.5 : 5" :fill="i ? '#fff' : 'none'" stroke="#fff" stroke-width="1.4" />
            </g>
            <g v-if="box" fill="none">
                <rect :x="box.x - 1.5" :y="box.y - 1.5" :width="box.side + 3" :height="box.side + 3" stroke="#fff" stroke-width="1.5" />
                <rect :x="box.x - 3.5" :y="box.y - 3.5" :width="box.side + 7" :height="box.side + 7" stroke="#000" stroke-width="1.5" opacity="0.8" />
            </g>
            <g v-for="{ pin, x, y, colour } in pins" :key="pin.id" :transform="`translate(${x} ${y})`">
                <path d="M-7 0h5M2 0h5M0-7v5M0 2v5" stroke="#000" stroke-width="3" opacity="0.75" />
                <path d="M-7 0h5M2 0h5M0-7v5M0 2v5" stroke="#fff" stroke-width="1.4" />
                <g class="pointer-events-auto cursor-grab" :data-pin="pin.letter" @pointerdown.prevent="grab(pin, $event)">
                    <rect x="7" y="-22" width="17" height="16" rx="2.5" :fill="colour" stroke="#111" />
                    <text x="15.5" y="-10" text-anchor="middle" font-size="11" font-weight="700" fill="#000">{{ pin.letter }}</text>
                </g>
            </g>
            <g v-if="cursor && !bench.armed.value" :transform="`translate(${cursor.x} ${cursor.y})`">
                <path d="M-6 0h12M0-6v12" stroke="#000" stroke-width="2.4" opacity="0.5" />
                <path d="M-6 0h12M0-6v12" stroke="#fff" stroke-width="1" />
            </g>
            <g v-if="focused && bench.armed.value" :transform="`translate(${width / 2} ${height / 2})`" fill="none">
                <circle r="9" stroke="#000" stroke-width="3" opacity="0.6" />
                <circle r="9" stroke="#fff" stroke-width="1.2" />
            </g>
            <g :transform="`translate(${width - bar.pixels - 14} ${height - 12})`">
                <path :d="`M0 -5v5h${bar.pixels}v-5`" fill="none" stroke="#000" stroke-width="3" opacity="0.6" />
                <path :d="`M0 -5v5h${bar.pixels}v-5`" fill="none" stroke="#fff" stroke-width="1.4" />
                <text :x="bar.pixels / 2" y="-6" text-anchor="middle" font-size="11" fill="#fff" stroke="#000" stroke-width="2.5" stroke-opacity="0.6" paint-order="stroke">{{ bar.label }}</text>
            </g>
        </svg>
        <div v-if="edge !== null" class="absolute inset-y-0 w-4 -translate-x-2 cursor-ew-resize touch-none" role="slider" tabindex="0" aria-label="Edge of the curtain" aria-valuemin="0" aria-valuemax="100"
            :aria-valuenow="Math.round(edge * 100)" :style="{ left: `${edge * 100}%` }" @pointerdown.prevent="grabEdge()" @keydown="pressEdge">
            <div class="mx-auto h-full w-0.5 bg-white shadow-[0_0_0_1px_rgb(0_0_0/0.5)]" />
            <div class="absolute left-1/2 top-1/2 -translate-x-1/2 rounded-sm bg-white px-1 text-xs font-semibold text-black shadow">A B</div>
        </div>
    </div>
</template>
