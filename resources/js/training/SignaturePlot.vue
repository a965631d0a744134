<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { scaleLinear } from 'd3-scale';
import { computed, ref, useTemplateRef } from 'vue';
import type { components } from '../api/schema';
import { useBench } from '../bench/useBench';
import { keptApart } from '../plots/apart';
import { reading, short } from '../plots/format';

/** Means of the classes with one deviation to either side, over wavelength, or band by band where there is none. */
const props = defineProps<{ told: components['schemas']['Training'] }>();
const { training } = useBench();
const frame = useTemplateRef<HTMLElement>('frame');
const { width } = useElementSize(frame);
const [H, LEFT, TOP, RIGHT, LOW] = [192, 44, 14, 96, 30];
const W = computed(() => Math.max(300, width.value));
const hover = ref('');

const hasOneUnit = computed(() => new Set(props.told.bands.map((one) => one.unit)).size === 1);
const isOverWavelength = computed(() => hasOneUnit.value && props.told.bands.every((one) => one.wavelength !== null) && props.told.bands.length > 1);
const isShare = computed(() => hasOneUnit.value && props.told.bands[0]?.unit === 'reflectance');
/** Bands of several units are each drawn between their own extremes. */
const value = (band: number, of: number) => {
    const { minimum, maximum } = props.told.bands[band]!;
    return isShare.value ? 100 * of : hasOneUnit.value ? of : maximum > minimum ? (of - minimum) / (maximum - minimum) : 0.5;
};
const order = computed(() =>
    props.told.bands.map((one, i) => ({ ...one, i })).sort((a, b) => (isOverWavelength.value ? a.wavelength! - b.wavelength! : a.i - b.i)),
);
const along = (k: number) => (isOverWavelength.value ? order.value[k]!.wavelength! : k);
const ends = computed(() => {
    const all = props.told.classes.flatMap((one) =>
        one.means.flatMap((mean, i) => [value(i, mean - (one.deviations[i] ?? 0)), value(i, mean + (one.deviations[i] ?? 0))]),
    );
    return [Math.min(...(isShare.value ? [0] : []), ...all), Math.max(...all)] as [number, number];
});
const x = computed(() => scaleLinear([along(0), along(order.value.length - 1) || 1], [LEFT, W.value - RIGHT]));
const y = computed(() => scaleLinear(ends.value, [H - LOW, TOP]));
const imageOf = (name: string) => (name.includes('.') ? name.split('.')[0]! : '');
const lines = computed(() =>
    props.told.classes
        .filter((one) => one.means.length)
        .map((one) => {
            const points = order.value.map(({ i, name, unit }, k) => ({
                name,
                x: x.value(along(k)),
                y: y.value(value(i, one.means[i]!)),
                low: y.value(value(i, one.means[i]! - one.deviations[i]!)),
                high: y.value(value(i, one.means[i]! + one.deviations[i]!)),
                text: `${one.class}, ${name}: ${reading(one.means[i]!, unit)} ± ${reading(one.deviations[i]!, unit)}`,
            }));
            // each image has a line of its own where several lie over one wavelength
            const images = isOverWavelength.value ? [...new Set(points.map((point) => imageOf(point.name)))] : [''];
            return {
                name: one.class,
                points,
                parts: images.map((image, k) => {
                    const own = isOverWavelength.value ? points.filter((point) => imageOf(point.name) === image) : points;
                    return {
                        image,
                        dash: ['', '5 3', '2 2'][Math.min(k, 2)],
                        line: own.map((point) => `${point.x},${point.y}`).join(' '),
                        band: [...own.map((point) => `${point.x},${point.high}`), ...[...own].reverse().map((point) => `${point.x},${point.low}`)].join(' '),
                    };
                }),
            };
        }),
);
/** Names at the ends of the lines. */
const labels = computed(() =>
    keptApart(
        lines.value.map((line) => ({ name: line.name, y: line.points[line.points.length - 1]!.y + 3.5 })),
        11,
        H - LOW + 8,
    ),
);
</script>

<template>
    <div ref="frame" data-signatures>
        <svg :viewBox="`0 0 ${W} ${H}`" :width="W" :height="H" role="img" aria-label="Signatures of the classes: mean and standard deviation by band">
            <text x="6" y="10" font-size="10.5" fill="var(--ink-2)">
                {{ hover || (isShare ? 'reflectance, %' : hasOneUnit ? (told.bands[0]?.unit ?? 'value') : 'from minimum to maximum of the areas') }}
            </text>
            <g v-for="one in y.ticks(4)" :key="one">
                <line :x1="LEFT" :x2="W - RIGHT" :y1="y(one)" :y2="y(one)" stroke="var(--line)" />
                <text :x="LEFT - 4" :y="y(one) + 3.5" text-anchor="end" font-size="10" fill="var(--ink-2)">{{ short(one) }}</text>
            </g>
            <template v-if="isOverWavelength">
                <text v-for="one in x.ticks(6)" :key="`x${one}`" :x="x(one)" :y="H - LOW + 12" text-anchor="middle" font-size="10" fill="var(--ink-2)">
                    {{ short(one) }}
                </text>
                <text :x="W - RIGHT" :y="H - 4" text-anchor="end" font-size="10" fill="var(--ink-2)">wavelength, µm</text>
            </template>
            <template v-else>
                <text v-for="(one, k) in order" :key="one.name" :x="x(along(k))" :y="H - LOW + 12" text-anchor="middle" font-size="10" fill="var(--ink-2)">
                    {{ one.name }}
                </text>
            </template>
            <g
                v-for="line in lines"
                :key="line.name"
                :data-signature="line.name"
                :opacity="training.current.value && training.current.value !== line.name ? 0.75 : 1"
            >
                <template v-for="part in line.parts" :key="part.image">
                    <polygon :points="part.band" :fill="training.colourOf(line.name)" fill-opacity="0.18" />
                    <polyline
                        :points="part.line"
                        fill="none"
                        stroke="var(--ink)"
                        :stroke-width="training.current.value === line.name ? 3.6 : 2.6"
                        opacity="0.35"
                    />
                    <polyline
                        :points="part.line"
                        fill="none"
                        :stroke="training.colourOf(line.name)"
                        :stroke-width="training.current.value === line.name ? 2.4 : 1.6"
                        :stroke-dasharray="part.dash"
                    />
                </template>
                <circle
                    v-for="point in line.points"
                    :key="point.name"
                    :cx="point.x"
                    :cy="point.y"
                    r="3"
                    :fill="training.colourOf(line.name)"
                    stroke="var(--ink)"
                    stroke-width="0.6"
                    @mouseenter="hover = point.text"
                    @mouseleave="hover = ''"
                />
            </g>
            <text
                v-for="label in labels"
                :key="label.name"
                :x="W - RIGHT + 6"
                :y="label.y"
                font-size="10.5"
                fill="var(--ink)"
                :font-weight="label.name === training.current.value ? 700 : 400"
            >
                {{ label.name.length > 16 ? `${label.name.slice(0, 15)}…` : label.name }}
            </text>
        </svg>
    </div>
</template>
