<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { computed, ref } from 'vue';
import type { Figure } from '../api/client';
import { number, short } from './format';

/** Lines over what the first column tells; they may still grow. Values stand where one points. */
const props = defineProps<{ curve: Extract<Figure, { type: 'curve' }> }>();

const [WIDTH, HEIGHT, LEFT, BOTTOM] = [280, 120, 40, 30];
const svg = ref<SVGSVGElement>();
const at = ref<number | null>(null);
const named = (column: { label: string; unit: string | null }) => [column.label, column.unit].filter(Boolean).join(', ');
const rows = computed(() => props.curve.rows.filter((row) => row.every((value) => typeof value === 'number')) as number[][]);
const lines = computed(() => props.curve.columns.slice(1));
const range = (values: number[]): [number, number] => {
    const [low, high] = [Math.min(...values), Math.max(...values)];
    return high > low ? [low, high] : [low - 0.5, low + 0.5];
};
const along = computed(() => range(rows.value.map((row) => row[0]!)));
const up = computed(() => range(rows.value.flatMap((row) => row.slice(1))));
const across = computed(() => scaleLinear(along.value, [LEFT, WIDTH - 8]));
const down = computed(() => scaleLinear(up.value, [HEIGHT - BOTTOM, 8]));
const x = (value: number) => across.value(value);
const y = (value: number) => down.value(value);
const path = (line: number) => rows.value.map((row, i) => `${i ? 'L' : 'M'}${x(row[0]!).toFixed(1)} ${y(row[line + 1]!).toFixed(1)}`).join('');
const dashes = [undefined, '5 3', '1.5 3'];
const pointed = computed(() => (at.value === null ? null : (rows.value[at.value] ?? null)));

function point(event: PointerEvent): void {
    const box = svg.value!.getBoundingClientRect();
    const value = across.value.invert((event.clientX - box.left) * (WIDTH / box.width));
    at.value = rows.value.reduce((best, row, i) => (Math.abs(row[0]! - value) < Math.abs(rows.value[best]![0]! - value) ? i : best), 0);
}
/** For those who don't see it. */
const words = computed(() => {
    const last = rows.value[rows.value.length - 1]!;
    const [along, up] = [props.curve.columns[0]!, lines.value[0]!].map((column, i) => `${short(last[i]!)} ${column.unit ?? ''}`);
    return `${props.curve.label}: ${rows.value.length} points, the last at ${along}, ${up}`;
});
</script>

<template>
    <figure v-if="rows.length" data-curve>
        <figcaption class="flex justify-between text-ink-2">
            <span>{{ curve.label }}</span><span v-if="pointed" class="figures text-ink"
                >{{ number(pointed[0]!) }} {{ curve.columns[0]!.unit }}:
                <template v-for="(line, i) in lines" :key="line.label">{{ i ? ' · ' : '' }}{{ number(pointed[i + 1]!) }} {{ line.unit }}</template></span
            >
        </figcaption>
        <svg ref="svg" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" class="w-full" role="img" :aria-label="words" @pointermove="point" @pointerleave="at = null">
            <path :d="`M${LEFT} 6V${HEIGHT - BOTTOM}H${WIDTH - 4}`" fill="none" stroke="var(--ink-2)" />
            <g font-size="9" fill="var(--ink-2)">
                <text v-for="one in down.ticks(3)" :key="`y${one}`" :x="LEFT - 4" :y="y(one) + 3" text-anchor="end">{{ short(one) }}</text>
                <text v-for="one in across.ticks(4)" :key="`x${one}`" :x="x(one)" :y="HEIGHT - BOTTOM + 11" text-anchor="middle">{{ short(one) }}</text>
                <text :x="WIDTH - 6" :y="HEIGHT - 5" text-anchor="end">{{ named(curve.columns[0]!) }}</text>
                <text :x="2" :y="HEIGHT - 5">{{ lines.map(named).join('; ') }}</text>
            </g>
            <path
                v-for="(line, i) in lines"
                :key="line.label"
                :d="path(i)"
                fill="none"
                stroke="var(--verdigris)"
                stroke-width="1.8"
                :stroke-dasharray="dashes[i % 3]"
            />
            <circle v-for="(_, i) in pointed ? lines : []" :key="i" :cx="x(pointed![0]!)" :cy="y(pointed![i + 1]!)" r="3" fill="var(--verdigris)" />
        </svg>
    </figure>
</template>
