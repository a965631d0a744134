<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { computed, ref } from 'vue';
import type { Histogram } from '../api/client';
import { drag } from '../drag';
import { roundTo, short } from './format';

export interface Tick {
    letter: string;
    value: number;
    colour: string;
}

const props = withDefaults(
    defineProps<{
        data: Pick<Histogram, 'minimum' | 'maximum' | 'counts'>;
        handles: number[];
        names: string[];
        colours?: string[];
        ticks?: Tick[];
        label: string;
        height?: number;
        from?: number;
        to?: number;
        /** What a limit was chosen on, as a line behind. */
        ghost?: Pick<Histogram, 'minimum' | 'maximum' | 'counts'> | null;
    }>(),
    { colours: () => [], ticks: () => [], height: 128, from: undefined, to: undefined, ghost: null },
);
const emit = defineEmits<{ change: [index: number, value: number] }>();

const WIDTH = 280;
const PAD = 10;
const svg = ref<SVGSVGElement>();
const hover = ref<number | null>(null);
const low = computed(() => props.from ?? props.data.minimum);
const high = computed(() => Math.max(props.to ?? props.data.maximum, low.value + 1e-9));
const scale = computed(() => scaleLinear([low.value, high.value], [PAD, WIDTH - PAD]));
const x = (value: number) => scale.value(value);
const base = computed(() => props.height - (props.ticks.length ? 24 + 15 * rows.value : 22));

/** Letters of places that read nearly the same stand below one another, so that each can be read. */
const tags = computed(() => {
    const ends: number[] = [];
    return [...props.ticks]
        .sort((a, b) => a.value - b.value)
        .map((tick) => {
            const at = Math.min(WIDTH - 8, Math.max(8, x(tick.value)));
            let row = ends.findIndex((end) => at - end >= 14);
            if (row < 0) row = ends.length;
            ends[row] = at;
            return { ...tick, at, row };
        });
});
const rows = computed(() => Math.max(1, ...tags.value.map((tag) => tag.row + 1)));

/** Bins of the data, joined where they are more than can be seen. */
const most = computed(() => Math.min(130, props.data.counts.length));
const bars = computed(() => {
    const { counts, minimum, maximum } = props.data;
    const out = new Array<number>(most.value).fill(0);
    const width = (maximum - minimum) / counts.length;
    counts.forEach((count, i) => {
        const bar = Math.floor(((minimum + (i + 0.5) * width - low.value) / (high.value - low.value)) * most.value);
        if (bar >= 0 && bar < most.value) out[bar]! += count;
    });
    // one tall bar must not flatten the rest
    const top = [...out].sort((a, b) => b - a)[2] || Math.max(...out, 1);
    return out.map((count, i) => ({
        x: PAD + (i * (WIDTH - 2 * PAD)) / most.value,
        h: Math.min(1, count / top) * (base.value - 22),
        count,
        value: low.value + ((i + 0.5) / most.value) * (high.value - low.value),
    }));
});
/** The other histogram along the same axis, as high as its own tallest. */
const line = computed(() => {
    if (!props.ghost) return '';
    const { counts, minimum, maximum } = props.ghost;
    const width = (maximum - minimum) / counts.length;
    const top = [...counts].sort((a, b) => b - a)[2] || Math.max(...counts, 1);
    const points = counts.flatMap((count, i) => {
        const y = base.value - Math.min(1, count / top) * (base.value - 22);
        return [minimum + i * width, minimum + (i + 1) * width].map((value) => [Math.min(WIDTH - PAD, Math.max(PAD, x(value))), y]);
    });
    return `M${points.map(([px, py]) => `${px!.toFixed(1)} ${py!.toFixed(1)}`).join('L')}`;
});
const side = (value: number) => props.handles.filter((handle) => value >= handle).length;
const step = computed(() => (high.value - low.value) / 400);

function valueAt(event: PointerEvent): number {
    const box = svg.value!.getBoundingClientRect();
    return scale.value
        .copy()
        .clamp(true)
        .invert(((event.clientX - box.left) / box.width) * WIDTH);
}

function grab(index: number): void {
    drag((event) => emit('change', index, round(valueAt(event))));
}

function press(index: number, event: KeyboardEvent): void {
    const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -10, PageUp: 10 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    emit('change', index, round(props.handles[index]! + by * step.value));
}

/** Where a handle's number is: away from its neighbour, else where there is more room; never beyond the plot, and then a line lower if need be. */
function placed(index: number): { isLeft: boolean; y: number } {
    const at = (i: number) => x(props.handles[i]!);
    const isNear = (i: number) => i >= 0 && i < props.handles.length && Math.abs(at(i) - at(index)) < 64;
    const wish = isNear(index + 1) !== isNear(index - 1) ? isNear(index + 1) : at(index) > WIDTH / 2;
    const width = 9 + 6.5 * short(props.handles[index]!).length;
    const isLeft = wish ? at(index) >= width : at(index) + width > WIDTH;
    return { isLeft, y: isLeft === wish || !isNear(isLeft ? index - 1 : index + 1) ? 12 : 26 };
}

const round = (value: number) => roundTo(value, [low.value, high.value]);
</script>

<template>
    <svg ref="svg" :viewBox="`0 0 ${WIDTH} ${height}`" class="w-full touch-none overflow-visible select-none" role="group" :aria-label="label">
        <rect
            v-for="(bar, i) in bars"
            :key="i"
            :x="bar.x"
            :y="base - bar.h"
            :width="Math.max(1.8, (WIDTH - 2 * PAD) / most - 1)"
            :height="bar.h"
            :fill="colours[side(bar.value)] ?? 'var(--ink-2)'"
            :opacity="colours.length ? 1 : 0.55"
        />
        <path v-if="line" :d="line" fill="none" stroke="var(--ochre)" stroke-width="1.2" stroke-dasharray="3 2" data-ghost />
        <rect
            :x="PAD"
            y="20"
            :width="WIDTH - 2 * PAD"
            :height="base - 20"
            fill="transparent"
            @pointermove="hover = valueAt($event)"
            @pointerleave="hover = null"
        />
        <line :x1="PAD" :x2="WIDTH - PAD" :y1="base + 0.5" :y2="base + 0.5" stroke="var(--ink-2)" />
        <template v-for="tick in tags" :key="tick.letter">
            <path :d="`M${x(tick.value)} ${base}V${base + 5 + 15 * tick.row}`" stroke="var(--ink)" />
            <g :transform="`translate(${tick.at} ${base + 5 + 15 * tick.row})`">
                <rect x="-6.5" y="0" width="13" height="13" rx="2" :fill="tick.colour" stroke="#1c231f" stroke-width="0.8" />
                <text y="10" text-anchor="middle" font-size="9" font-weight="700" fill="#000">{{ tick.letter }}</text>
            </g>
        </template>
        <g
            v-for="(handle, i) in handles"
            :key="i"
            role="slider"
            tabindex="0"
            :aria-label="names[i]"
            :aria-valuemin="low"
            :aria-valuemax="high"
            :aria-valuenow="handle"
            class="cursor-ew-resize"
            :data-handle="i"
            @pointerdown.prevent="grab(i)"
            @keydown="press(i, $event)"
        >
            <rect :x="x(handle) - 7" y="0" width="14" :height="base" fill="transparent" />
            <line :x1="x(handle)" :x2="x(handle)" y1="12" :y2="base + 4" stroke="var(--verdigris)" stroke-width="2" />
            <circle :cx="x(handle)" cy="8" r="5" fill="var(--verdigris)" />
            <text
                :x="placed(i).isLeft ? x(handle) - 9 : x(handle) + 9"
                :y="placed(i).y"
                :text-anchor="placed(i).isLeft ? 'end' : 'start'"
                font-size="11"
                font-weight="600"
                fill="var(--verdigris)"
                stroke="var(--paper)"
                stroke-width="3"
                paint-order="stroke"
            >
                {{ short(handle) }}
            </text>
        </g>
        <text :x="PAD" :y="height - 3" font-size="10" fill="var(--ink-2)">{{ short(low) }}</text>
        <text v-if="hover !== null" :x="WIDTH / 2" :y="height - 3" font-size="10" text-anchor="middle" fill="var(--ink)">{{ short(hover) }}</text>
        <text v-else :x="WIDTH / 2" :y="height - 3" font-size="10" text-anchor="middle" fill="var(--ink-2)">{{ label }}</text>
        <text :x="WIDTH - PAD" :y="height - 3" font-size="10" text-anchor="end" fill="var(--ink-2)">{{ short(high) }}</text>
    </svg>
</template>
