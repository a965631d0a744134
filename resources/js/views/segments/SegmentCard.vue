<script setup lang="ts">
import { computed } from 'vue';
import { useBench } from '../../bench/useBench';
import { reading } from '../../plots/format';
import { useRow } from './useRow';

/** The segment under the cursor, and what is measured of it. */
const { segments } = useBench();
const MOST = 10;
const row = useRow(segments, segments.under);
/** What the segments are shaded by stands first. */
const measures = computed(() => {
    const all = row.value?.measures ?? [];
    const first = all.filter((one) => one.name === segments.shading.value?.measure);
    return [...first, ...all.filter((one) => !first.includes(one) && !['x', 'y'].includes(one.name))];
});
const text = (value: number | null, unit: string | null) =>
    unit === 'reflectance' ? reading(value, unit) : [reading(value, null), unit].filter(Boolean).join(' ');
</script>

<template>
    <div
        v-if="row"
        class="pointer-events-none absolute bottom-2 left-2 z-10 max-w-64 rounded bg-surround/90 px-2.5 py-1.5 text-xs text-on-surround"
        data-segment-card
    >
        <p class="figures font-semibold text-white">segment {{ row.number }}</p>
        <dl class="grid grid-cols-[auto_1fr] gap-x-3">
            <template v-for="one in measures.slice(0, MOST)" :key="one.name"
                ><dt class="truncate">{{ one.name }}</dt>
                <dd class="figures truncate text-right text-white" :data-measure="one.name">{{ text(one.value, one.unit) }}</dd></template
            >
        </dl>
        <p v-if="measures.length > MOST">and {{ measures.length - MOST }} more</p>
    </div>
</template>
