<script setup lang="ts">
import { computed } from 'vue';
import type { Item, RasterItem } from '../api/client';
import { api, must } from '../api/client';
import { useBench } from '../bench/useBench';
import { number } from '../plots/format';
import RowTable from './RowTable.vue';

/** What is measured of each segment: sorted by any measure; a row goes where its segment lies. */
const props = defineProps<{ measures: Item; segments: RasterItem }>();
const bench = useBench();
const PAGE = 1000;
const chosen = computed(() => (bench.segments.chosen.value?.item === props.segments.id ? bench.segments.chosen.value.numbers : new Set<number>()));

function go(row: Record<string, number | string | null>): void {
    bench.segments.chooseOf(props.segments.id, new Set([Number(row.segment)]));
    if (typeof row.x === 'number' && typeof row.y === 'number' && !props.segments.raster.warped) bench.views.shared.view.setCenter([row.x, row.y]);
    else bench.store.message.value = 'Measure x and y too, to go to a segment.';
}

/** The chosen rows as text, else the first ones. */
async function copy(): Promise<void> {
    const page = (from: number) => must(api.GET('/items/{item}/rows', { params: { path: { item: props.measures.id }, query: { from, count: PAGE } } }));
    const wanted = chosen.value;
    const { columns, count, rows } = await page(0);
    let kept = wanted.size ? rows.filter((row) => wanted.has(Number(row[0]))) : rows;
    for (let from = PAGE; from < count && kept.length < wanted.size; from += PAGE)
        kept = [...kept, ...(await page(from)).rows.filter((row) => wanted.has(Number(row[0])))];
    const lines = [columns.map((column) => column.name), ...kept.map((row) => row.map((value) => value ?? ''))];
    await navigator.clipboard.writeText(lines.map((line) => line.join('\t')).join('\n'));
    bench.store.message.value = `${number(kept.length)} rows copied${!wanted.size && count > PAGE ? ', the first ones: use the CSV for all' : ''}.`;
}
</script>

<template>
    <div class="flex min-w-0 flex-1 flex-col" data-segment-table>
        <RowTable class="min-h-0 flex-1" :item="measures" :is-chosen="(first: number) => chosen.has(first)" @row="go" />
        <p class="flex gap-4 border-t border-line px-3 text-xs">
            <button class="plain" data-copy @click="copy">copy{{ chosen.size ? ' selected' : '' }}</button
            ><a class="plain" :href="`/api/items/${measures.id}/csv`" download>CSV</a>
        </p>
    </div>
</template>
