<script setup lang="ts">
import { computed } from 'vue';
import type { Matrix } from '../api/client';
import { hectares, number, percent } from '../plots/format';

const props = defineProps<{ matrix: Matrix }>();
const rows = computed(() =>
    props.matrix.classes.map((entry, i) => ({ entry, counts: props.matrix.matrix[i]!, sum: props.matrix.matrix[i]!.reduce((a, b) => a + b, 0) })),
);
const columns = computed(() => props.matrix.classes.map((_, j) => props.matrix.matrix.reduce((sum, row) => sum + row[j]!, 0)));
const interval = computed(() => {
    const { kappa, kappaVariance } = props.matrix;
    return kappa === null || kappaVariance === null ? '' : ` ± ${number(1.96 * Math.sqrt(kappaVariance), 2)}`;
});
/** What the areas of the table are told beside. */
const greatest = computed(() => Math.max(0, ...props.matrix.classes.flatMap((entry) => [entry.hectares ?? 0, entry.mappedHectares ?? 0])));
const full = computed(() => Math.max(1, ...props.matrix.matrix.flat()));
</script>

<template>
    <section class="space-y-3 text-sm" data-matrix>
        <div class="overflow-x-auto" tabindex="0" role="group" aria-label="error matrix">
            <table class="w-full">
                <caption class="text-left text-ink-2">
                    points: map in rows, what you said in columns
                </caption>
                <thead>
                    <tr class="text-xs text-ink-2">
                        <th />
                        <th v-for="{ entry } in rows" :key="entry.code" class="px-1 text-right font-normal">{{ entry.class }}</th>
                        <th class="px-1 text-right font-normal">all</th>
                    </tr>
                </thead>
                <tbody>
                    <tr v-for="({ entry, counts, sum }, i) in rows" :key="entry.code" class="border-t border-line">
                        <th class="py-0.5 text-left font-normal">
                            <span class="mr-1.5 inline-block size-2.5 border border-ink-2" :style="{ background: entry.colour ?? 'transparent' }" />{{
                                entry.class
                            }}
                        </th>
                        <td
                            v-for="(count, j) in counts"
                            :key="j"
                            class="figures px-1 text-right"
                            :class="i === j ? 'font-bold' : ''"
                            :style="{
                                background: count
                                    ? `color-mix(in srgb, var(${i === j ? '--verdigris' : '--madder'}) ${Math.round(6 + (18 * count) / full)}%, transparent)`
                                    : '',
                            }"
                        >
                            {{ count }}
                        </td>
                        <td class="figures px-1 text-right text-ink-2">{{ sum }}</td>
                    </tr>
                    <tr class="border-t border-line text-ink-2">
                        <th class="text-left font-normal">all</th>
                        <td v-for="(sum, j) in columns" :key="j" class="figures px-1 text-right">{{ sum }}</td>
                        <td class="figures px-1 text-right">{{ matrix.points }}</td>
                    </tr>
                </tbody>
            </table>
        </div>
        <dl class="grid grid-cols-2 gap-x-4">
            <div class="flex items-baseline justify-between">
                <dt class="text-ink-2">overall</dt>
                <dd class="figures text-base font-semibold" data-overall>{{ percent(matrix.overall) }}</dd>
            </div>
            <div class="flex items-baseline justify-between">
                <dt class="text-ink-2">kappa</dt>
                <dd class="figures" data-kappa>{{ number(matrix.kappa, 3) }}{{ interval }}</dd>
            </div>
            <div class="flex items-baseline justify-between">
                <dt class="text-ink-2">quantity</dt>
                <dd class="figures">{{ percent(matrix.quantity) }}</dd>
            </div>
            <div class="flex items-baseline justify-between">
                <dt class="text-ink-2">allocation</dt>
                <dd class="figures">{{ percent(matrix.allocation) }}</dd>
            </div>
        </dl>
        <table class="w-full">
            <thead>
                <tr class="text-xs text-ink-2">
                    <th />
                    <th class="pl-2 text-right font-normal">user's</th>
                    <th class="pl-2 text-right font-normal">producer's</th>
                    <th class="pl-2 text-right font-normal">F1</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="{ entry } in rows" :key="entry.code" class="border-t border-line">
                    <th class="py-0.5 text-left font-normal">{{ entry.class }}</th>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ percent(entry.users) }}</td>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ percent(entry.producers) }}</td>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ number(entry.f1, 3) }}</td>
                </tr>
            </tbody>
        </table>
        <table v-if="matrix.adjusted" class="w-full">
            <caption class="text-left text-ink-2">
                by area, with 95 % intervals: overall
                {{
                    percent(matrix.adjusted.overall)
                }}
                ±
                {{
                    percent(matrix.adjusted.overallHalf)
                }}
            </caption>
            <thead>
                <tr class="text-xs text-ink-2">
                    <th />
                    <th class="pl-2 text-right font-normal">area</th>
                    <th class="pl-2 text-right font-normal">±</th>
                    <th class="pl-2 text-right font-normal">on the map</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="{ entry } in rows" :key="entry.code" class="border-t border-line">
                    <th class="py-0.5 text-left font-normal">{{ entry.class }}</th>
                    <td class="figures pl-2 text-right whitespace-nowrap">
                        {{ entry.hectares === undefined ? percent(entry.adjusted?.share) : hectares(entry.hectares, greatest) }}
                    </td>
                    <td class="figures pl-2 text-right whitespace-nowrap">
                        {{ entry.hectaresHalf === undefined ? percent(entry.adjusted?.shareHalf) : hectares(entry.hectaresHalf, greatest) }}
                    </td>
                    <td class="figures pl-2 text-right whitespace-nowrap">
                        {{ entry.mappedHectares === undefined ? '' : hectares(entry.mappedHectares, greatest) }}
                    </td>
                </tr>
            </tbody>
        </table>
        <p v-if="matrix.overall === 1" class="text-xs text-ink-2" data-no-errors>
            No point disagrees, so the intervals are empty: they say nothing yet of how sure this is.
        </p>
        <p v-if="!matrix.adjusted && matrix.points" class="text-xs text-ink-2">
            Areas with their intervals appear once each class of the map has two labelled points.
        </p>
    </section>
</template>
