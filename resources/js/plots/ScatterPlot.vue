<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { computed, ref, useTemplateRef, watch } from 'vue';
import { drag } from '../drag';
import { rampTable, word } from '../views/ramps';
import { number, short } from './format';

/** Two values of each of many: how dense they lie, those that are marked, and a box to be drawn. */
const props = defineProps<{
    x: Float64Array;
    y: Float64Array;
    across: { label: string; ends: [number, number] };
    up: { label: string; ends: [number, number] };
    marked: (index: number) => boolean;
    anyMarked: boolean;
}>();
const emit = defineEmits<{ box: [from: [number, number], to: [number, number]] }>();

const [WIDTH, HEIGHT, LEFT, BOTTOM, TOP, RIGHT] = [280, 196, 40, 32, 6, 6];
const [INNER, HIGH] = [WIDTH - LEFT - RIGHT, HEIGHT - BOTTOM - TOP];
const canvas = useTemplateRef<HTMLCanvasElement>('canvas');
const frame = useTemplateRef<SVGSVGElement>('frame');
const alongX = computed(() => scaleLinear(props.across.ends, [LEFT, WIDTH - RIGHT]));
const alongY = computed(() => scaleLinear(props.up.ends, [HEIGHT - BOTTOM, TOP]));
const pen = ref<{ from: [number, number]; to: [number, number] } | null>(null);
const hover = ref<[number, number] | null>(null);
/** Each cell is a pixel of the canvas, which is shown twice as large. */
const [CELLS, ROWS] = [Math.round(INNER / 2), Math.round(HIGH / 2)];

function draw(): void {
    const context = canvas.value?.getContext('2d');
    if (!context) return;
    const image = context.createImageData(CELLS, ROWS);
    const out = new Uint32Array(image.data.buffer);
    const all = new Uint32Array(CELLS * ROWS);
    const marked = new Uint8Array(CELLS * ROWS);
    const [[x0, x1], [y0, y1]] = [props.across.ends, props.up.ends];
    const [fx, fy] = [CELLS / Math.max(x1 - x0, 1e-300), ROWS / Math.max(y1 - y0, 1e-300)];
    for (let i = 0; i < props.x.length; i++) {
        const col = Math.floor((props.x[i]! - x0) * fx);
        const row = ROWS - 1 - Math.floor((props.y[i]! - y0) * fy);
        if (!(col >= 0 && row >= 0 && col < CELLS && row < ROWS)) continue;
        const cell = row * CELLS + col;
        all[cell]!++;
        if (props.anyMarked && props.marked(i)) marked[cell] = 1;
    }
    const most = Math.log1p(all.reduce((a, b) => Math.max(a, b), 1));
    const table = rampTable('cividis');
    const mark = word(getComputedStyle(canvas.value!).getPropertyValue('--madder'));
    for (let i = 0; i < all.length; i++) if (all[i]) out[i] = marked[i] ? mark : table[70 + Math.round((Math.log1p(all[i]!) / most) * 150)]!;
    context.putImageData(image, 0, 0);
}
watch(() => [props.x, props.y, props.across.ends, props.up.ends, props.marked], draw, { immediate: true, flush: 'post' });

function place(event: PointerEvent): [number, number] {
    const box = frame.value!.getBoundingClientRect();
    const [px, py] = [((event.clientX - box.left) / box.width) * WIDTH, ((event.clientY - box.top) / box.height) * HEIGHT];
    return [alongX.value.copy().clamp(true).invert(px), alongY.value.copy().clamp(true).invert(py)];
}
function start(event: PointerEvent): void {
    const from = place(event);
    pen.value = { from, to: from };
    drag(
        (move) => (pen.value = { from, to: place(move) }),
        () => {
            const { to } = pen.value!;
            pen.value = null;
            emit('box', [Math.min(from[0], to[0]), Math.min(from[1], to[1])], [Math.max(from[0], to[0]), Math.max(from[1], to[1])]);
        },
    );
}
const shown = computed(() => {
    if (!pen.value) return null;
    const { from, to } = pen.value;
    const [x0, x1] = [alongX.value(from[0]), alongX.value(to[0])];
    const [y0, y1] = [alongY.value(from[1]), alongY.value(to[1])];
    return { x: Math.min(x0, x1), y: Math.min(y0, y1), width: Math.abs(x1 - x0), height: Math.abs(y1 - y0) };
});
</script>

<template>
    <div class="relative" data-scatter>
        <canvas
            ref="canvas"
            :width="CELLS"
            :height="ROWS"
            class="absolute [image-rendering:pixelated]"
            :style="{
                left: `${(100 * LEFT) / WIDTH}%`,
                top: `${(100 * TOP) / HEIGHT}%`,
                width: `${(100 * INNER) / WIDTH}%`,
                height: `${(100 * HIGH) / HEIGHT}%`,
            }"
            aria-hidden="true"
        />
        <svg
            ref="frame"
            :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
            class="relative w-full cursor-crosshair touch-none select-none"
            role="img"
            :aria-label="`${up.label} over ${across.label}: draw a box to choose its contents`"
            @pointerdown.prevent="start"
            @pointermove="hover = place($event)"
            @pointerleave="hover = null"
        >
            <path :d="`M${LEFT} ${TOP}V${HEIGHT - BOTTOM}H${WIDTH - RIGHT}`" fill="none" stroke="var(--ink-2)" />
            <g font-size="9" fill="var(--ink-2)">
                <text v-for="one in alongY.ticks(4)" :key="`y${one}`" :x="LEFT - 4" :y="alongY(one) + 3" text-anchor="end">{{ short(one) }}</text>
                <text v-for="one in alongX.ticks(4)" :key="`x${one}`" :x="alongX(one)" :y="HEIGHT - BOTTOM + 11" text-anchor="middle">{{ short(one) }}</text>
                <text :x="WIDTH - RIGHT" :y="HEIGHT - 6" text-anchor="end">{{ props.across.label }}</text>
                <text :x="2" :y="HEIGHT - 6">{{ hover ? `${number(hover[0], 3)}, ${number(hover[1], 3)}` : `↑ ${props.up.label}` }}</text>
            </g>
            <rect v-if="shown" v-bind="shown" fill="var(--verdigris)" fill-opacity="0.15" stroke="var(--verdigris)" stroke-width="1.5" />
        </svg>
    </div>
</template>
