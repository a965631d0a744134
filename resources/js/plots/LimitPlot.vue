<script setup lang="ts">
import { scaleLinear, scaleLog } from 'd3-scale';
import { computed, ref } from 'vue';
import { drag } from '../drag';
import { number, percent, short } from './format';

/** One limit after another: how many segments there are, how much varies within them, how alike neighbours are; the limit is drawn along. */
export interface LimitRow {
    limit: number;
    segments: number;
    inner: number;
    alike: number;
    score: number;
}
const props = defineProps<{ rows: LimitRow[]; proposals: number[]; limit: number; segments: number }>();
const emit = defineEmits<{ change: [limit: number] }>();

const [WIDTH, LEFT, RIGHT] = [280, 34, 8];
/** Upper and lower plot: first and last y. */
const [UPPER, LOWER, HEIGHT] = [[18, 74] as const, [92, 150] as const, 178];
const svg = ref<SVGSVGElement>();
const at = ref<number | null>(null);
const ends = computed<[number, number]>(() => [props.rows[0]!.limit, props.rows[props.rows.length - 1]!.limit]);
const across = computed(() => scaleLog(ends.value, [LEFT, WIDTH - RIGHT]));
const many = computed(() =>
    scaleLog([Math.max(1, Math.min(...props.rows.map((row) => row.segments))), Math.max(2, ...props.rows.map((row) => row.segments))], [UPPER[1], UPPER[0]]),
);
const share = computed(() => scaleLinear([Math.min(0, ...props.rows.map((row) => row.alike)), 1], [LOWER[1], LOWER[0]]));
const x = (limit: number) => across.value(Math.min(ends.value[1], Math.max(ends.value[0], limit)));
const path = (y: (row: LimitRow) => number) => props.rows.map((row, i) => `${i ? 'L' : 'M'}${x(row.limit).toFixed(1)} ${y(row).toFixed(1)}`).join('');
const count = (row: LimitRow) => many.value(Math.max(1, row.segments));
const shown = computed(() => {
    const wanted = at.value ?? props.limit;
    return props.rows.reduce((best, row) => (Math.abs(Math.log(row.limit / wanted)) < Math.abs(Math.log(best.limit / wanted)) ? row : best));
});
const round = (limit: number) => Number(limit.toPrecision(3));
const marks = computed(() => {
    const all = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000];
    return all.filter((one) => one >= ends.value[0] && one <= ends.value[1]);
});

function valueAt(event: PointerEvent): number {
    const box = svg.value!.getBoundingClientRect();
    return Math.min(ends.value[1], Math.max(ends.value[0], across.value.invert(((event.clientX - box.left) / box.width) * WIDTH)));
}
function grab(down: PointerEvent): void {
    emit('change', round(valueAt(down)));
    drag((event) => emit('change', round(valueAt(event))));
}
function press(event: KeyboardEvent): void {
    const by = { ArrowLeft: 0.98, ArrowDown: 0.98, ArrowRight: 1.02, ArrowUp: 1.02, PageDown: 0.8, PageUp: 1.25 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    emit('change', round(Math.min(ends.value[1], Math.max(ends.value[0], props.limit * by))));
}
</script>

<template>
    <svg
        ref="svg"
        :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
        class="w-full cursor-ew-resize touch-none select-none"
        role="group"
        aria-label="Segments by limit"
        data-limit-plot
        @pointerdown.prevent="grab"
        @pointermove="at = valueAt($event)"
        @pointerleave="at = null"
    >
        <rect :x="LEFT" y="0" :width="WIDTH - LEFT - RIGHT" :height="HEIGHT" fill="transparent" />
        <path :d="`M${LEFT} ${UPPER[0]}V${UPPER[1]}H${WIDTH - RIGHT}M${LEFT} ${LOWER[0]}V${LOWER[1]}H${WIDTH - RIGHT}`" fill="none" stroke="var(--line)" />
        <g font-size="9" fill="var(--ink-2)">
            <text :x="LEFT - 4" :y="UPPER[0] + 6" text-anchor="end">{{ short(Math.max(...rows.map((row) => row.segments))) }}</text>
            <text :x="LEFT - 4" :y="UPPER[1]" text-anchor="end">{{ short(Math.min(...rows.map((row) => row.segments))) }}</text>
            <text :x="LEFT - 4" :y="LOWER[0] + 6" text-anchor="end">1</text>
            <text :x="LEFT - 4" :y="LOWER[1]" text-anchor="end">{{ short(share.domain()[0]!) }}</text>
            <text v-for="one in marks" :key="one" :x="x(one)" :y="LOWER[1] + 11" text-anchor="middle">{{ short(one) }}</text>
            <text :x="WIDTH - RIGHT" :y="HEIGHT - 4" text-anchor="end">limit {{ short(shown.limit) }}: {{ short(shown.segments) }} segments</text>
            <text :x="LEFT" :y="HEIGHT - 4">within {{ percent(shown.inner, 0) }}, similarity {{ number(shown.alike, 2) }}</text>
        </g>
        <path :d="`${path(count)}V${UPPER[1]}H${LEFT}Z`" fill="var(--ink-2)" opacity="0.18" />
        <path :d="path(count)" fill="none" stroke="var(--ink-2)" stroke-width="1.6" />
        <path :d="path((row) => share(row.inner))" fill="none" stroke="var(--ink)" stroke-width="1.6" />
        <path :d="path((row) => share(row.alike))" fill="none" stroke="var(--ink)" stroke-width="1.6" stroke-dasharray="4 3" />
        <g v-for="one in proposals" :key="one" class="cursor-pointer" :data-proposal="one" @pointerdown.stop.prevent="emit('change', one)">
            <path :d="`M${x(one)} ${UPPER[0]}V${LOWER[1]}`" stroke="var(--ochre)" stroke-dasharray="1.5 2.5" stroke-width="1.4" />
            <circle :cx="x(one)" :cy="LOWER[1]" r="3" fill="var(--ochre)" />
        </g>
        <g
            role="slider"
            tabindex="0"
            aria-label="Merge limit"
            :aria-valuemin="ends[0]"
            :aria-valuemax="ends[1]"
            :aria-valuenow="limit"
            :aria-valuetext="`${limit}, ${segments} segments`"
            @keydown="press"
        >
            <line :x1="x(limit)" :x2="x(limit)" y1="12" :y2="LOWER[1] + 2" stroke="var(--verdigris)" stroke-width="2" />
            <circle :cx="x(limit)" cy="8" r="5" fill="var(--verdigris)" />
            <text
                :x="x(limit) > WIDTH / 2 ? x(limit) - 9 : x(limit) + 9"
                y="12"
                :text-anchor="x(limit) > WIDTH / 2 ? 'end' : 'start'"
                font-size="11"
                font-weight="600"
                fill="var(--verdigris)"
            >
                {{ short(limit) }}: {{ number(segments) }} segments
            </text>
        </g>
    </svg>
</template>
