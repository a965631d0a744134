<script setup lang="ts">
import { computed } from 'vue';
import { useBench } from '../bench/useBench';
import { hectares, number, percent } from '../plots/format';

/** On how much two maps differ, and what is what in the other. */
const { differences } = useBench();
const SHOWN = 8;
const all = computed(() => (differences.rows.value ?? []).reduce((sum, row) => sum + row.pixels, 0));
const apart = computed(() => (differences.rows.value ?? []).filter((row) => row.one !== row.other));
const pixels = computed(() => apart.value.reduce((sum, row) => sum + row.pixels, 0));
</script>

<template>
    <aside
        v-if="differences.rows.value"
        class="sheet absolute top-10 right-2 z-20 max-h-[60%] w-72 overflow-auto p-2.5 text-sm"
        aria-label="Where A and B differ"
        data-differences
    >
        <p>
            A and B differ at <b class="figures font-semibold">{{ percent(all ? pixels / all : 0, 1) }}</b>,
            <span class="figures">{{ number(pixels) }}</span> pixels; unchanged pixels are dimmed.
        </p>
        <table v-if="apart.length" class="mt-1 w-full">
            <thead class="text-left text-ink-2">
                <tr>
                    <th class="font-normal">A</th>
                    <th class="font-normal">B</th>
                    <th class="text-right font-normal">area</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="row in apart.slice(0, SHOWN)" :key="`${row.one}/${row.other}`" class="border-t border-line">
                    <td>{{ row.one }}</td>
                    <td>{{ row.other }}</td>
                    <td class="figures text-right">{{ row.hectares === null ? `${number(row.pixels)} px` : hectares(row.hectares) }}</td>
                </tr>
            </tbody>
        </table>
        <p v-if="apart.length > SHOWN" class="text-ink-2">and {{ apart.length - SHOWN }} more</p>
    </aside>
</template>
