<script setup lang="ts">
import { computed } from 'vue';
import { number } from '../../plots/format';
import type { Pointed } from './useVectorLayers';

/** What is known of the point, line or area that someone points at. */
const props = defineProps<{ pointed: Pointed }>();
const MOST = 9;
const all = computed(() => {
    const { feature } = props.pointed;
    const told = (feature.get('told') ?? { class: feature.get('class'), note: feature.get('note') }) as Record<string, unknown>;
    return Object.entries(told).filter(([, value]) => value !== null && value !== undefined && value !== '' && typeof value !== 'object');
});
const title = computed(() => {
    const { feature, label } = props.pointed;
    const shape: string = feature.getGeometry()?.getType() ?? '';
    return feature.get('told') ? label : `${label}, ${shape === 'Point' ? 'point' : shape === 'LineString' ? 'line' : 'area'} ${feature.get('number')}`;
});
const text = (value: unknown) => (typeof value === 'number' ? number(value, 6) : String(value));
</script>

<template>
    <div class="pointer-events-none absolute bottom-2 left-2 z-10 max-w-64 rounded bg-surround/90 px-2.5 py-1.5 text-xs text-on-surround" data-pointed>
        <p class="truncate font-semibold text-white">{{ title }}</p>
        <dl class="grid grid-cols-[auto_1fr] gap-x-3">
            <template v-for="[name, value] in all.slice(0, MOST)" :key="name"
                ><dt class="truncate">{{ name }}</dt>
                <dd class="figures truncate text-right text-white">{{ text(value) }}</dd></template
            >
        </dl>
        <p v-if="all.length > MOST">and {{ all.length - MOST }} more</p>
    </div>
</template>
