<script setup lang="ts">
import { computed, watch } from 'vue';
import { useBench } from '../bench/useBench';
import { percent } from '../plots/format';
import { newLine } from '../views/vectors/styles';
import { isSame } from '../views/vectors/useVectors';

/** Where two images reach together and alone: outlines that lie over the views. */
const props = defineProps<{ step: number; item: number; reach: { both: number; 'fine-alone': number; 'colour-alone': number } }>();
const { looks } = useBench().views;

const line = computed(() => newLine({ source: { step: props.step, output: 'reach' }, drawing: null }));
const isShown = computed(() => looks.b.value.lines.some((one) => isSame(one, line.value)));
function show(isWanted: boolean): void {
    for (const look of [looks.a, looks.b])
        look.value.lines = [...look.value.lines.filter((one) => !isSame(one, line.value)), ...(isWanted ? [line.value] : [])];
}
// laid once by itself, where there is something to see
watch(
    () => props.item,
    (item) => {
        if (!laid.has(item) && (props.reach['fine-alone'] > 5e-4 || props.reach['colour-alone'] > 5e-4)) show(true);
        laid.add(item);
    },
    { immediate: true },
);
</script>

<script lang="ts">
/** Outlines that were laid over the views already. */
const laid = new Set<number>();
</script>

<template>
    <label class="flex items-center gap-2 border-t border-line pt-3 text-sm" data-reach
        ><input type="checkbox" :checked="isShown" @change="show(($event.target as HTMLInputElement).checked)" />footprints of both in the views;
        {{ percent(reach['fine-alone']) }} of the panchromatic image is outside the other</label
    >
</template>
