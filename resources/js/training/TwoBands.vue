<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { computed, shallowRef, useTemplateRef, watch } from 'vue';
import { api, must } from '../api/client';
import type { components } from '../api/schema';
import { useBench } from '../bench/useBench';
import { pegColour, short } from '../plots/format';
import { rampTable } from '../views/ramps';
import { useBandTicks } from './useBandTicks';

/** Two bands against each other: the whole image's density behind, and where each class lies, with ellipses of two deviations. */
const props = defineProps<{ told: components['schemas']['Training']; x: number; y: number }>();
const bench = useBench();
const { training } = bench;
const [W, H, LEFT, TOP, RIGHT, LOW] = [430, 196, 48, 8, 120, 32];
const BINS = 48;
const canvas = useTemplateRef<HTMLCanvasElement>('canvas');
const density = shallowRef<{ x: number[]; y: number[]; counts: number[] } | null>(null);
const bands = computed(() => [props.told.bands[props.x]!, props.told.bands[props.y]!] as const);

let last = '';
watch(
    () => JSON.stringify([bands.value.map((one) => one.name), Object.entries(training.draft.value.inputs).filter(([name]) => name.startsWith('images'))]),
    async (key) => {
        last = key;
        density.value = null;
        if (props.told.unit === 'segments') return;
        try {
            const [x, y] = bands.value.map((one) => one.name) as [string, string];
            const found = await must(
                api.POST('/studies/{study}/training/density', { params: { path: { study: bench.id } }, body: { ...training.asked.value, x, y } }),
            );
            if (last === key) density.value = found;
        } catch {
            // the ellipses stand without it
        }
    },
    { immediate: true },
);
const factors = computed(() => bands.value.map((one) => (one.unit === 'reflectance' ? 100 : 1)) as [number, number]);
const reach = computed(() =>
    bands.value.map((one, i) => {
        const ends = i === 0 ? density.value?.x : density.value?.y;
        return [Math.min(one.minimum, ends?.[0] ?? one.minimum) * factors.value[i]!, Math.max(one.maximum, ends?.[1] ?? one.maximum) * factors.value[i]!];
    }),
);
const across = computed(() => scaleLinear(reach.value[0]!, [LEFT, W - RIGHT]));
const up = computed(() => scaleLinear(reach.value[1]!, [H - LOW, TOP]));
const place = computed(() => {
    if (!density.value) return null;
    const [x0, x1] = density.value.x.map((one) => across.value(one * factors.value[0]));
    const [y0, y1] = density.value.y.map((one) => up.value(one * factors.value[1]));
    return { x: x0!, y: y1!, width: x1! - x0!, height: y0! - y1! };
});
watch(
    [density, canvas],
    () => {
        const context = canvas.value?.getContext('2d');
        if (!context || !density.value) return;
        const image = context.createImageData(BINS, BINS);
        const out = new Uint32Array(image.data.buffer);
        const { counts } = density.value;
        const most = Math.log1p(Math.max(1, ...counts));
        const table = rampTable('cividis');
        counts.forEach((count, i) => {
            const row = BINS - 1 - Math.floor(i / BINS);
            if (count) out[row * BINS + (i % BINS)] = table[60 + Math.round((Math.log1p(count) / most) * 170)]!;
        });
        context.putImageData(image, 0, 0);
    },
    { flush: 'post', immediate: true },
);
/** The ellipse of two deviations, as a path. */
const ellipses = computed(() =>
    props.told.classes.flatMap((one) => {
        const [a, b, c] = [one.covariances[props.x]?.[props.x], one.covariances[props.x]?.[props.y], one.covariances[props.y]?.[props.y]];
        if (a === undefined || b === undefined || c === undefined) return [];
        const [mx, my] = [one.means[props.x]!, one.means[props.y]!];
        const angle = 0.5 * Math.atan2(2 * b, a - c);
        const root = Math.hypot((a - c) / 2, b);
        const [long, wide] = [Math.sqrt(Math.max(0, (a + c) / 2 + root)), Math.sqrt(Math.max(0, (a + c) / 2 - root))];
        const points = Array.from({ length: 48 }, (_, i) => {
            const [u, v] = [2 * long * Math.cos((i * Math.PI) / 24), 2 * wide * Math.sin((i * Math.PI) / 24)];
            const [dx, dy] = [u * Math.cos(angle) - v * Math.sin(angle), u * Math.sin(angle) + v * Math.cos(angle)];
            return `${across.value((mx + dx) * factors.value[0])},${up.value((my + dy) * factors.value[1])}`;
        });
        return [{ name: one.class, points: points.join(' '), x: across.value(mx * factors.value[0]), y: up.value(my * factors.value[1]) }];
    }),
);
const ticks = useBandTicks(bench);
const pegs = computed(() =>
    ticks.ofBand(bands.value[0].name).flatMap(({ letter, value }) => {
        const other = ticks.ofBand(bands.value[1].name).find((one) => one.letter === letter);
        return other ? [{ letter, x: across.value(value * factors.value[0]), y: up.value(other.value * factors.value[1]) }] : [];
    }),
);
const labelOf = (i: 0 | 1) => `${bands.value[i].name}${factors.value[i] === 100 ? ', %' : bands.value[i].unit ? `, ${bands.value[i].unit}` : ''}`;
</script>

<template>
    <div class="relative w-[430px]" data-two-bands>
        <canvas
            v-show="place"
            ref="canvas"
            :width="BINS"
            :height="BINS"
            class="absolute [image-rendering:pixelated]"
            :style="
                place
                    ? {
                          left: `${(100 * place.x) / W}%`,
                          top: `${(100 * place.y) / H}%`,
                          width: `${(100 * place.width) / W}%`,
                          height: `${(100 * place.height) / H}%`,
                      }
                    : {}
            "
            aria-hidden="true"
        />
        <svg
            :viewBox="`0 0 ${W} ${H}`"
            class="relative w-full overflow-hidden"
            role="img"
            :aria-label="`${labelOf(1)} over ${labelOf(0)}: the image and the classes`"
        >
            <path :d="`M${LEFT} ${TOP}V${H - LOW}H${W - RIGHT}`" fill="none" stroke="var(--ink-2)" />
            <g font-size="9" fill="var(--ink-2)">
                <text v-for="one in up.ticks(4)" :key="`y${one}`" :x="LEFT - 4" :y="up(one) + 3" text-anchor="end">{{ short(one) }}</text>
                <text v-for="one in across.ticks(5)" :key="`x${one}`" :x="across(one)" :y="H - LOW + 11" text-anchor="middle">{{ short(one) }}</text>
                <text :x="W - RIGHT" :y="H - 6" text-anchor="end">{{ labelOf(0) }}</text>
                <text :x="2" :y="H - 6">↑ {{ labelOf(1) }}</text>
            </g>
            <g v-for="one in ellipses" :key="one.name" :data-ellipse="one.name" fill="none">
                <polygon :points="one.points" stroke="var(--paper)" stroke-width="3.4" opacity="0.9" />
                <polygon :points="one.points" stroke="var(--ink)" stroke-width="2.4" opacity="0.55" />
                <polygon :points="one.points" :stroke="training.colourOf(one.name)" stroke-width="1.5" />
                <circle :cx="one.x" :cy="one.y" r="2.6" :fill="training.colourOf(one.name)" stroke="var(--ink)" stroke-width="0.6" />
            </g>
            <g v-for="one in pegs" :key="one.letter" :transform="`translate(${one.x} ${one.y})`">
                <path d="M-4 0h8M0-4v8" stroke="#000" stroke-width="2.6" />
                <path d="M-4 0h8M0-4v8" :stroke="pegColour(one.letter)" stroke-width="1.4" />
                <text x="6" y="-3" font-size="9" font-weight="700" fill="var(--ink)">{{ one.letter }}</text>
            </g>
            <g font-size="9.5" fill="var(--ink)">
                <g v-for="(one, i) in ellipses" :key="one.name" :transform="`translate(${W - RIGHT + 10} ${TOP + 8 + 12 * i})`">
                    <rect width="8" height="8" y="-7" :fill="training.colourOf(one.name)" stroke="var(--ink-2)" stroke-width="0.5" />
                    <text x="12">{{ one.name }}</text>
                </g>
            </g>
        </svg>
    </div>
</template>
