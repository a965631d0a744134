<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { scaleLinear } from 'd3-scale';
import { computed, ref, useTemplateRef } from 'vue';
import type { components } from '../api/schema';
import { useBench } from '../bench/useBench';
import { useBandTicks } from './useBandTicks';
import { pegColour, reading, short } from '../plots/format';

/** How the values of a band lie in each class, as parts of the class. */
const props = defineProps<{ told: components['schemas']['Training']; band: number }>();
const bench = useBench();
const { training } = bench;
const frame = useTemplateRef<HTMLElement>('frame');
const { width } = useElementSize(frame);
const [H, LEFT, TOP, RIGHT, LOW] = [192, 16, 14, 16, 30];
const W = computed(() => Math.max(300, width.value));
const hover = ref('');

const band = computed(() => props.told.bands[props.band]!);
const factor = computed(() => (band.value.unit === 'reflectance' ? 100 : 1));
const x = computed(() => scaleLinear([band.value.minimum * factor.value, band.value.maximum * factor.value], [LEFT, W.value - RIGHT]));
const curves = computed(() => {
    const shares = props.told.classes.map((one) => {
        const counts = one.histograms[props.band] ?? [];
        const all = counts.reduce((sum, count) => sum + count, 0) || 1;
        return {
            name: one.class,
            shares: counts.map((count) => count / all),
            text: `${one.class}: ${reading(one.means[props.band], band.value.unit)} ± ${reading(one.deviations[props.band], band.value.unit)}`,
        };
    });
    const most = Math.max(1e-9, ...shares.flatMap((one) => one.shares));
    const base = H - LOW;
    return shares.map((one) => {
        const step = (W.value - LEFT - RIGHT) / Math.max(1, one.shares.length);
        const tops = one.shares.map((share, i) => `H${LEFT + i * step}V${base - (share / most) * (base - TOP)}`).join('');
        return { ...one, path: `M${LEFT} ${base}${tops}H${W.value - RIGHT}V${base}` };
    });
});
const ticks = useBandTicks(bench);
const pegs = computed(() =>
    ticks
        .ofBand(band.value.name)
        .map((tick) => ({ ...tick, x: x.value(tick.value * factor.value) }))
        .filter((tick) => tick.x >= LEFT - 1 && tick.x <= W.value - RIGHT + 1),
);
</script>

<template>
    <div ref="frame" data-class-histogram>
        <svg :viewBox="`0 0 ${W} ${H}`" :width="W" :height="H" role="img" :aria-label="`Values of ${band.name} by class`">
            <text x="6" y="10" font-size="10.5" fill="var(--ink-2)">{{ hover || `parts of each class` }}</text>
            <g v-for="one in curves" :key="one.name" @mouseenter="hover = one.text" @mouseleave="hover = ''">
                <path :d="one.path" :fill="training.colourOf(one.name)" fill-opacity="0.25" stroke="var(--ink)" stroke-opacity="0.4" stroke-width="2" />
                <path :d="one.path" fill="none" :stroke="training.colourOf(one.name)" stroke-width="1.3" />
            </g>
            <g v-for="tick in pegs" :key="tick.letter" :transform="`translate(${tick.x} 0)`">
                <line :y1="TOP" :y2="H - LOW" :stroke="pegColour(tick.letter)" stroke-width="1.5" />
                <text :y="TOP - 2" text-anchor="middle" font-size="10" font-weight="700" fill="var(--ink)">{{ tick.letter }}</text>
            </g>
            <line :x1="LEFT" :x2="W - RIGHT" :y1="H - LOW" :y2="H - LOW" stroke="var(--ink-2)" />
            <text v-for="one in x.ticks(8)" :key="one" :x="x(one)" :y="H - LOW + 12" text-anchor="middle" font-size="10" fill="var(--ink-2)">
                {{ short(one) }}
            </text>
            <text :x="W - RIGHT" :y="H - 4" text-anchor="end" font-size="10" fill="var(--ink-2)">
                {{ band.name }}{{ factor === 100 ? ', %' : band.unit ? `, ${band.unit}` : '' }}
            </text>
        </svg>
    </div>
</template>
