<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { computed, ref } from 'vue';
import { number, percent, short } from '../plots/format';

/** How much each component holds, and what each band puts into it. */
const props = defineProps<{
    scree: { component: number; share: number; together: number }[];
    loadings: { band: string; wavelength: number | null; components: number[] }[];
}>();

const SHOWN = 10;
const bars = computed(() => props.scree.slice(0, SHOWN));
const [WIDTH, HEIGHT, LEFT, BOTTOM] = [280, 104, 34, 18];
const across = computed(() => scaleLinear([0, Math.max(4, bars.value.length)], [LEFT, WIDTH - 6]));
const down = scaleLinear([0, 1], [HEIGHT - BOTTOM, 8]);
const width = computed(() => Math.min(30, (across.value(1) - across.value(0)) * 0.62));
const middle = (i: number) => (across.value(i) + across.value(i + 1)) / 2;

// loadings by wavelength, where all bands say it
const count = computed(() => props.loadings[0]?.components.length ?? 0);
const chosen = ref([0, 1, 2]);
const seen = computed(() => chosen.value.filter((k) => k < count.value));
const hasWavelengths = computed(() => props.loadings.every((row) => row.wavelength !== null));
const points = computed(() =>
    props.loadings.map((row, i) => ({ at: hasWavelengths.value ? row.wavelength! : i + 1, row })).sort((one, other) => one.at - other.at),
);
const reach = computed(() => Math.max(0.5, ...props.loadings.flatMap((row) => row.components.map(Math.abs))));
const along = computed(() => {
    const ats = points.value.map((point) => point.at);
    const [low, high] = [Math.min(...ats), Math.max(...ats)];
    return scaleLinear(low === high ? [low - 0.5, high + 0.5] : [low, high], [LEFT, WIDTH - 22]);
});
const up = computed(() => scaleLinear([-reach.value, reach.value], [HEIGHT - BOTTOM, 8]));
const path = (k: number) =>
    points.value.map(({ at, row }, i) => `${i ? 'L' : 'M'}${along.value(at).toFixed(1)} ${up.value(row.components[k]!).toFixed(1)}`).join('');
const strokes = [
    { colour: 'var(--verdigris)', dash: undefined },
    { colour: 'var(--ochre)', dash: '6 3' },
    { colour: 'var(--madder)', dash: '2 3' },
    { colour: 'var(--ink-2)', dash: '8 3 2 3' },
];
const strokeOf = (k: number) => strokes[k % strokes.length]!;
function toggle(k: number): void {
    chosen.value = chosen.value.includes(k) ? chosen.value.filter((one) => one !== k) : [...chosen.value, k].sort((a, b) => a - b);
}
</script>

<template>
    <section class="space-y-3 border-t border-line pt-3 text-sm" data-components>
        <figure v-if="bars.length" data-scree>
            <figcaption class="text-ink-2">share of variance per component; the line is cumulative</figcaption>
            <svg
                :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
                class="w-full"
                role="img"
                :aria-label="bars.map((bar) => `component ${bar.component}: ${percent(bar.share)}`).join(', ')"
            >
                <path :d="`M${LEFT} 6V${HEIGHT - BOTTOM}H${WIDTH - 4}`" fill="none" stroke="var(--ink-2)" />
                <g font-size="9" fill="var(--ink-2)">
                    <text v-for="one in [0, 0.5, 1]" :key="one" :x="LEFT - 4" :y="down(one) + 3" text-anchor="end">{{ Math.round(100 * one) }} %</text>
                    <text v-for="(bar, i) in bars" :key="bar.component" :x="middle(i)" :y="HEIGHT - 6" text-anchor="middle">{{ bar.component }}</text>
                </g>
                <rect
                    v-for="(bar, i) in bars"
                    :key="bar.component"
                    :x="middle(i) - width / 2"
                    :y="Math.min(down(bar.share), HEIGHT - BOTTOM - 1)"
                    :width="width"
                    :height="Math.max(1, HEIGHT - BOTTOM - down(bar.share))"
                    fill="var(--verdigris)"
                    opacity="0.75"
                />
                <path
                    :d="bars.map((bar, i) => `${i ? 'L' : 'M'}${middle(i).toFixed(1)} ${down(bar.together).toFixed(1)}`).join('')"
                    fill="none"
                    stroke="var(--ink-2)"
                    stroke-dasharray="3 3"
                />
            </svg>
        </figure>
        <figure v-if="loadings.length" data-loadings>
            <figcaption class="flex flex-wrap items-baseline gap-x-3 text-ink-2">
                <span>loadings of component</span>
                <label v-for="k in Math.min(count, SHOWN)" :key="k" class="flex items-center gap-1"
                    ><input type="checkbox" :checked="chosen.includes(k - 1)" @change="toggle(k - 1)" />{{ k }}</label
                >
            </figcaption>
            <svg
                :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
                class="w-full"
                role="img"
                :aria-label="`Loadings over ${hasWavelengths ? 'wavelength' : 'bands'}; see the table below`"
            >
                <path :d="`M${LEFT} 6V${HEIGHT - BOTTOM}M${LEFT} ${up(0)}H${WIDTH - 16}`" fill="none" stroke="var(--ink-2)" />
                <g font-size="9" fill="var(--ink-2)">
                    <text v-for="one in up.ticks(3)" :key="`y${one}`" :x="LEFT - 4" :y="up(one) + 3" text-anchor="end">{{ short(one) }}</text>
                    <text v-for="one in along.ticks(4)" :key="`x${one}`" :x="along(one)" :y="HEIGHT - 6" text-anchor="middle">{{ short(one) }}</text>
                    <text :x="WIDTH - 2" :y="HEIGHT - 6" text-anchor="end">{{ hasWavelengths ? 'µm' : 'band' }}</text>
                </g>
                <g v-for="k in seen" :key="k">
                    <path :d="path(k)" fill="none" :stroke="strokeOf(k).colour" :stroke-dasharray="strokeOf(k).dash" stroke-width="1.8" />
                    <text
                        :x="along(points[points.length - 1]!.at) + 5"
                        :y="up(points[points.length - 1]!.row.components[k]!) + 3"
                        font-size="10"
                        font-weight="700"
                        :fill="strokeOf(k).colour"
                    >
                        {{ k + 1 }}
                    </text>
                </g>
            </svg>
        </figure>
        <div class="overflow-x-auto" tabindex="0" role="group" aria-label="loadings">
            <table class="w-full">
                <caption class="sr-only">
                    Loadings
                </caption>
                <thead>
                    <tr class="text-xs text-ink-2">
                        <th class="text-left font-normal">band</th>
                        <th v-for="k in count" :key="k" class="pl-2 text-right font-normal">{{ k }}</th>
                    </tr>
                </thead>
                <tbody>
                    <tr v-for="row in loadings" :key="row.band" class="border-t border-line" :data-loading="row.band">
                        <td class="py-0.5 whitespace-nowrap">{{ row.band }}</td>
                        <td v-for="(value, k) in row.components" :key="k" class="figures pl-2 text-right whitespace-nowrap">{{ number(value, 3) }}</td>
                    </tr>
                </tbody>
            </table>
        </div>
    </section>
</template>
