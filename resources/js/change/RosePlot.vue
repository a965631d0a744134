<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { RasterItem } from '../api/client';
import { useBench } from '../bench/useBench';
import { number, pegColour, percent } from '../plots/format';
import { valuesAt } from '../readings/useReadings';

/** In which directions pixels changed: petals as long as many went there, and the pegs where they went. */
const props = defineProps<{ rose: { bands: string[]; limit: number; counts: number[] }; item: RasterItem }>();
const bench = useBench();
const [SIZE, R] = [280, 96];
const middle = SIZE / 2;
const all = computed(() =>
    Math.max(
        1,
        props.rose.counts.reduce((sum, count) => sum + count, 0),
    ),
);
const most = computed(() => Math.max(1, ...props.rose.counts));
const turn = (degrees: number) => (degrees * Math.PI) / 180;
const place = (degrees: number, far: number) => `${(middle + far * Math.cos(turn(degrees))).toFixed(1)} ${(middle - far * Math.sin(turn(degrees))).toFixed(1)}`;
const petals = computed(() => {
    const wide = 360 / props.rose.counts.length;
    return props.rose.counts.map((count, i) => {
        // areas, not lengths, are what the eye compares
        const far = R * Math.sqrt(count / most.value);
        const [from, to] = [i * wide, (i + 1) * wide];
        return { count, from, to, path: `M${middle} ${middle}L${place(from, far)}A${far.toFixed(1)} ${far.toFixed(1)} 0 0 0 ${place(to, far)}Z` };
    });
});
const hover = ref<number | null>(null);
const pegs = ref<{ letter: string; colour: string; far: number; degrees: number }[]>([]);
watch(
    [() => props.item.id, () => bench.store.study.value?.pegs],
    async () => {
        const { item } = props;
        const list = bench.store.study.value?.pegs ?? [];
        const values = await valuesAt(item, list);
        if (item !== props.item) return;
        pegs.value = list.flatMap((peg) => {
            const [far, degrees] = values.get(peg.id) ?? [];
            return typeof far === 'number' && typeof degrees === 'number' ? [{ letter: peg.letter, colour: pegColour(peg.letter), far, degrees }] : [];
        });
    },
    { immediate: true },
);
const reach = computed(() => Math.max(props.rose.limit * 1.5, ...pegs.value.map((peg) => peg.far), 1e-9));
</script>

<template>
    <figure class="m-0 border-t border-line pt-3 text-sm" data-rose>
        <svg :viewBox="`0 0 ${SIZE} ${SIZE}`" class="w-full" role="img" :aria-label="`Directions of change over ${rose.bands.join(' and ')}`">
            <circle :cx="middle" :cy="middle" :r="R" fill="none" stroke="var(--line)" />
            <line :x1="middle - R - 8" :x2="middle + R + 8" :y1="middle" :y2="middle" stroke="var(--line)" />
            <line :x1="middle" :x2="middle" :y1="middle - R - 8" :y2="middle + R + 8" stroke="var(--line)" />
            <path
                v-for="(petal, i) in petals"
                :key="i"
                :d="petal.path"
                :fill="hover === i ? 'var(--verdigris)' : 'var(--ink-2)'"
                :opacity="hover === i ? 1 : 0.55"
                stroke="var(--paper)"
                stroke-width="0.6"
                @pointerenter="hover = i"
                @pointerleave="hover = null"
            />
            <circle
                v-if="rose.limit > 0"
                :cx="middle"
                :cy="middle"
                :r="(R * rose.limit) / reach"
                fill="none"
                stroke="var(--verdigris)"
                stroke-dasharray="3 2"
            />
            <g v-for="peg in pegs" :key="peg.letter">
                <line
                    :x1="middle"
                    :y1="middle"
                    :x2="place(peg.degrees, (R * peg.far) / reach).split(' ')[0]"
                    :y2="place(peg.degrees, (R * peg.far) / reach).split(' ')[1]"
                    stroke="#1c231f"
                    stroke-width="2.4"
                />
                <g :transform="`translate(${place(peg.degrees, (R * peg.far) / reach)})`">
                    <rect x="-6.5" y="-6.5" width="13" height="13" rx="2" :fill="peg.colour" stroke="#1c231f" stroke-width="0.8" />
                    <text y="3.5" text-anchor="middle" font-size="9" font-weight="700" fill="#000">{{ peg.letter }}</text>
                </g>
            </g>
            <text :x="SIZE - 4" :y="middle - 5" text-anchor="end" font-size="10.5" fill="var(--ink-2)">{{ rose.bands[0] }} up</text>
            <text x="4" :y="middle - 5" font-size="10.5" fill="var(--ink-2)">{{ rose.bands[0] }} down</text>
            <text :x="middle" y="22" text-anchor="middle" font-size="10.5" fill="var(--ink-2)">{{ rose.bands[1] }} up</text>
            <text :x="middle" :y="SIZE - 14" text-anchor="middle" font-size="10.5" fill="var(--ink-2)">{{ rose.bands[1] }} down</text>
        </svg>
        <figcaption class="text-ink-2">
            <template v-if="hover !== null"
                >{{ number(petals[hover]!.from, 3) }}° to {{ number(petals[hover]!.to, 3) }}°:
                <span class="figures">{{ number(petals[hover]!.count) }}</span> pixels, {{ percent(petals[hover]!.count / all) }}.</template
            ><template v-else
                >Areas of the petals: how many pixels {{ rose.limit > 0 ? 'beyond the limit ' : '' }}went there. Pegs stand as far out as they changed{{
                    rose.limit > 0 ? '; the dashed ring is the limit' : ''
                }}.</template
            >
        </figcaption>
    </figure>
</template>
