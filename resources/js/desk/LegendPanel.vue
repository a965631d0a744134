<script setup lang="ts">
import { computed } from 'vue';
import { setLegend } from '../bench/legend';
import { useBench } from '../bench/useBench';

/** The classes of the study: a colour that is changed here is another in every map, and in what is made of it. */
const { id, store } = useBench();
const legend = computed(() => store.study.value?.legend ?? []);

function recolour(at: number, colour: string): void {
    const next = legend.value.map((one, i) => (i === at ? { ...one, colour } : one));
    void setLegend(store, id, 'the colour of a class', next);
}
function up(at: number): void {
    const next = [...legend.value];
    const [one] = next.splice(at, 1);
    next.splice(at - 1, 0, one!);
    void setLegend(store, id, 'the order of classes', next);
}
</script>

<template>
    <section data-legend>
        <p class="text-sm text-ink-2">classes of this study</p>
        <ul class="mt-1">
            <li v-for="(one, i) in legend" :key="one.name" class="flex min-h-7 items-center gap-2">
                <input
                    type="color"
                    class="size-6 shrink-0 cursor-pointer border-0 bg-transparent p-0"
                    :value="one.colour"
                    :aria-label="`Colour of ${one.name}`"
                    :data-legend-colour="one.name"
                    @change="recolour(i, ($event.target as HTMLInputElement).value)"
                /><span class="flex-1 truncate">{{ one.name }}</span
                ><button v-if="i" class="plain text-sm" :aria-label="`move up ${one.name}`" @click="up(i)">move up</button>
            </li>
        </ul>
        <p class="text-xs text-ink-2">To merge or rename them, use the step “Recode classes”.</p>
    </section>
</template>
