<script setup lang="ts">
import { nextTick, useTemplateRef, watch } from 'vue';
import { useBench } from '../bench/useBench';
import { number } from '../plots/format';

/** How like what is there a pixel has to be to join: drawn along, the area grows and shrinks in the views. */
const { training } = useBench();
const slider = useTemplateRef<HTMLInputElement>('slider');
watch(
    training.growth,
    async (now) => {
        await nextTick();
        if (now) slider.value?.focus();
    },
    { immediate: true },
);
</script>

<template>
    <span class="absolute top-full left-0 mt-1 block w-88 rounded bg-surround/90 px-2.5 py-1.5 text-xs" data-growth>
        <label class="flex items-center gap-2">
            <span>similarity</span>
            <input
                ref="slider"
                v-model.number="training.likeness.value"
                type="range"
                class="min-w-0 flex-1"
                min="0.5"
                max="12"
                step="0.05"
                aria-label="Largest distance of a pixel from the area, in standard deviations"
                data-likeness
                @keydown.enter.prevent="training.keepGrown"
            /><span class="figures w-24 text-right">{{ training.likeness.value.toFixed(2) }} deviations</span></label
        >
        <span class="mt-1 flex items-baseline justify-between gap-3">
            <span class="figures">{{ number(training.joined.value) }} pixels</span>
            <button class="rounded bg-white px-1.5 py-0.5 font-semibold text-black" title="Enter" data-keep-grown @click="training.keepGrown">
                keep this area
            </button>
            <button class="hover:text-white" @click="training.growth.value = null">discard it</button>
        </span>
    </span>
</template>
