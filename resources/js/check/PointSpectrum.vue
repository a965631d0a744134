<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { interpolateViridis } from 'd3-scale-chromatic';
import { computed, ref, watch } from 'vue';
import { api, must } from '../api/client';
import { useBench } from '../bench/useBench';
import { keptApart } from '../plots/apart';
import { longDate } from '../plots/format';
import type { Place } from '../views/geo';
import { rasterSources } from '../views/look';

/** What a place looked like over the dates: its spectrum at each, the later the brighter. */
const props = defineProps<{ place: Place }>();
const bench = useBench();
const [W, H, LEFT, TOP, RIGHT, LOW] = [280, 130, 30, 8, 56, 26];

/** The last of each date that has reflectance over wavelength; the map itself is none. */
const dates = computed(() => {
    const study = bench.store.study.value;
    const fit = (study ? rasterSources(study) : []).filter(
        ({ item }) => item.raster.date && item.raster.bands.filter((band) => band.wavelength && band.unit === 'reflectance').length > 2,
    );
    return [...new Set(fit.map(({ item }) => item.raster.date!))].sort().map((date) => fit.filter(({ item }) => item.raster.date === date).pop()!.item);
});
const lines = ref<{ date: string; points: { x: number; y: number }[] }[]>([]);
let round = 0;
watch(
    [() => props.place.join(), () => dates.value.map((item) => item.id).join()],
    async () => {
        const mine = ++round;
        const found = await Promise.all(
            dates.value.map(async (item) => {
                const points = props.place.join(',');
                const [values] = await must(api.GET('/items/{item}/values', { params: { path: { item: item.id }, query: { points } } })).catch(() => [null]);
                return {
                    date: item.raster.date!,
                    points: item.raster.bands.flatMap((band, i) => {
                        const value = values?.[i];
                        return band.wavelength && typeof value === 'number' ? [{ x: band.wavelength, y: 100 * value }] : [];
                    }),
                };
            }),
        );
        if (mine === round) lines.value = found.filter((line) => line.points.length > 1);
    },
    { immediate: true },
);
const all = computed(() => lines.value.flatMap((line) => line.points));
const across = computed(() => scaleLinear([Math.min(...all.value.map((p) => p.x)), Math.max(...all.value.map((p) => p.x))], [LEFT, W - RIGHT]));
const up = computed(() => scaleLinear([Math.min(0, ...all.value.map((p) => p.y)), Math.max(1, ...all.value.map((p) => p.y)) * 1.05], [H - LOW, TOP]));
const colour = (i: number) => interpolateViridis(lines.value.length > 1 ? (0.85 * i) / (lines.value.length - 1) : 0);
const ends = computed(() =>
    keptApart(
        lines.value.map((line) => ({ letter: line.date, y: up.value(line.points[line.points.length - 1]!.y) + 3 })),
        10,
        H - LOW + 4,
    ),
);
</script>

<template>
    <figure v-if="lines.length" class="m-0" data-point-spectrum>
        <svg
            :viewBox="`0 0 ${W} ${H}`"
            class="w-full"
            role="img"
            :aria-label="`Reflectance of this place at ${lines.map((line) => longDate(line.date)).join(', ')}`"
        >
            <g v-for="value in up.ticks(4)" :key="value">
                <line :x1="LEFT" :x2="W - RIGHT" :y1="up(value)" :y2="up(value)" stroke="var(--line)" />
                <text :x="LEFT - 4" :y="up(value) + 3" text-anchor="end" font-size="9.5" fill="var(--ink-2)">{{ value }}</text>
            </g>
            <text v-for="value in across.ticks(4)" :key="value" :x="across(value)" :y="H - 13" text-anchor="middle" font-size="9.5" fill="var(--ink-2)">
                {{ value }}
            </text>
            <path
                v-for="(line, i) in lines"
                :key="line.date"
                :d="`M${[...line.points]
                    .sort((a, b) => a.x - b.x)
                    .map((p) => `${across(p.x).toFixed(1)} ${up(p.y).toFixed(1)}`)
                    .join('L')}`"
                fill="none"
                :stroke="colour(i)"
                stroke-width="2"
            />
            <text v-for="end in ends" :key="end.letter" :x="W - RIGHT + 4" :y="end.y" font-size="9.5" fill="var(--ink)">
                {{ end.letter.slice(0, 7) }}
                <tspan :fill="colour(lines.findIndex((line) => line.date === end.letter))">●</tspan>
            </text>
            <text :x="(LEFT + W - RIGHT) / 2" :y="H - 2" text-anchor="middle" font-size="9.5" fill="var(--ink-2)">reflectance in % over wavelength, µm</text>
        </svg>
    </figure>
</template>
