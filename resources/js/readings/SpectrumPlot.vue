<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { computed, ref } from 'vue';
import { useBench } from '../bench/useBench';
import { keptApart } from '../plots/apart';
import { number, pegColour, short } from '../plots/format';
import type { Reading } from './useReadings';

/** The pegs' values over wavelength, for the item read last whose bands have one: what view B shows. */
const props = defineProps<{ readings: Reading[] }>();
const bench = useBench();
const [W, H, LEFT, TOP, RIGHT, LOW] = [290, 148, 40, 18, 18, 30];
const hover = ref('');

const reading = computed(() => [...props.readings].reverse().find(({ item }) => item.raster.bands.filter((band) => band.wavelength).length > 1) ?? null);
const bands = computed(() => (reading.value?.item.raster.bands ?? []).filter((band) => band.wavelength).sort((a, b) => a.wavelength! - b.wavelength!));
const isShare = computed(() => bands.value[0]?.unit === 'reflectance');
const unit = computed(() => (isShare.value ? 'reflectance, %' : (bands.value[0]?.unit ?? 'value')));
const scale = computed(() => (isShare.value ? 100 : 1));
const lines = computed(() =>
    (bench.store.study.value?.pegs ?? [])
        .map((peg) => {
            const row = reading.value?.values.get(peg.id);
            return {
                peg,
                points: bands.value.flatMap((band) =>
                    row && row[band.number - 1] !== null && row[band.number - 1] !== undefined ? [{ band, value: row[band.number - 1]! * scale.value }] : [],
                ),
            };
        })
        .filter(({ points }) => points.length > 0),
);
const reach = computed(() => {
    const values = lines.value.flatMap(({ points }) => points.map(({ value }) => value));
    return {
        x0: bands.value[0]?.wavelength ?? 0,
        x1: bands.value[bands.value.length - 1]?.wavelength ?? 1,
        y0: Math.min(0, ...values),
        y1: Math.max(1e-9, ...values) * 1.05,
    };
});
/** Letters at the ends of the lines. */
const ends = computed(() =>
    keptApart(
        lines.value.map(({ peg, points }) => ({ letter: peg.letter, y: y(points[points.length - 1]!.value) + 3.5 })),
        10,
        H - LOW + 4,
    ),
);
const across = computed(() => scaleLinear([reach.value.x0, reach.value.x1], [LEFT, W - RIGHT]));
const up = computed(() => scaleLinear([reach.value.y0, reach.value.y1], [H - LOW, TOP]));
const x = (wavelength: number) => across.value(wavelength);
const y = (value: number) => up.value(value);
</script>

<template>
    <figure v-if="reading && lines.length" class="m-0 w-[290px] shrink-0 border-l border-line" aria-label="Spectra at the pegs">
        <svg :viewBox="`0 0 ${W} ${H}`" class="w-full" role="img" :aria-label="`Values at the pegs over wavelength, ${reading.label}`">
            <text x="6" y="12" font-size="10.5" fill="var(--ink-2)">{{ hover || `${unit} · ${reading.label}` }}</text>
            <g v-for="value in up.ticks(4)" :key="value">
                <line :x1="LEFT" :x2="W - RIGHT" :y1="y(value)" :y2="y(value)" stroke="var(--line)" />
                <text :x="LEFT - 4" :y="y(value) + 3.5" text-anchor="end" font-size="10" fill="var(--ink-2)">{{ short(value) }}</text>
            </g>
            <text v-for="value in across.ticks(4)" :key="`x${value}`" :x="x(value)" :y="H - LOW + 12" text-anchor="middle" font-size="10" fill="var(--ink-2)">
                {{ short(value) }}
            </text>
            <text :x="W - RIGHT" :y="H - 4" text-anchor="end" font-size="10" fill="var(--ink-2)">wavelength, µm</text>
            <g v-for="{ peg, points } in lines" :key="peg.id">
                <polyline
                    :points="points.map(({ band, value }) => `${x(band.wavelength!)},${y(value)}`).join(' ')"
                    fill="none"
                    stroke="var(--ink)"
                    stroke-width="2.6"
                    opacity="0.35"
                />
                <polyline
                    :points="points.map(({ band, value }) => `${x(band.wavelength!)},${y(value)}`).join(' ')"
                    fill="none"
                    :stroke="pegColour(peg.letter)"
                    stroke-width="1.8"
                />
                <circle
                    v-for="{ band, value } in points"
                    :key="band.number"
                    :cx="x(band.wavelength!)"
                    :cy="y(value)"
                    r="3"
                    :fill="pegColour(peg.letter)"
                    stroke="#111"
                    stroke-width="0.6"
                    @mouseenter="hover = `${peg.letter} ${band.label}: ${number(value)}`"
                    @mouseleave="hover = ''"
                />
            </g>
            <text v-for="end in ends" :key="end.letter" :x="W - RIGHT + 5" :y="end.y" font-size="10" font-weight="700" fill="var(--ink)">
                {{ end.letter }}
            </text>
        </svg>
    </figure>
</template>
