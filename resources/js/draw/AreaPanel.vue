<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useBench } from '../bench/useBench';
import { number } from '../plots/format';
import { sameTool, type Tool } from './tool';

/** The area that the study is about: drawn, typed or from a file. */
const bench = useBench();
const { drawing } = bench;
const area = computed(() => bench.store.study.value?.area ?? null);
const names = ['west', 'south', 'east', 'north'] as const;
const typed = ref<string[]>(['', '', '', '']);
watch(area, (now) => (typed.value = now ? now.bounds.map((value) => number(value, 5)) : ['', '', '', '']), { immediate: true });
const files = computed(() => bench.desk.candidatesFor('features'));
const polygon: Tool = { does: 'draw', into: 'area', shape: 'polygon' };
const box: Tool = { does: 'draw', into: 'area', shape: 'box' };
const change = computed<Tool | null>(() => (area.value ? { does: 'change', of: area.value.drawing } : null));
const has = (tool: Tool | null) => sameTool(drawing.tool.value, tool);

async function type(): Promise<void> {
    const bounds = typed.value.map((text) => Number(text.replace('−', '-').replace(',', '.')));
    if (typed.value.every((text) => text.trim() !== '') && bounds.every(Number.isFinite)) await drawing.setArea({ bounds });
}
function take(event: Event): void {
    const [step, output] = (event.target as HTMLSelectElement).value.split('/');
    if (step) void drawing.setArea({ file: { step: Number(step), output } });
}
</script>

<template>
    <section class="border-t border-line pt-2" data-area>
        <h3 class="font-semibold">The study's area</h3>
        <p v-if="area" class="text-ink-2" data-area-size>
            <template v-if="area.hectares"
                ><span class="figures">{{ number(area.hectares, 3) }}</span> ha, </template
            >outlined in the views. <button class="plain" data-no-area @click="drawing.setArea(null)">remove it</button>
        </p>
        <p v-else class="text-ink-2">Steps can be restricted to it, and the archive is searched within it.</p>
        <div class="mt-1 grid grid-cols-4 gap-x-2">
            <label v-for="(name, i) in names" :key="name" class="text-xs text-ink-2"
                >{{ name }} °<input v-model="typed[i]" class="field figures text-ink" inputmode="decimal" :data-bound="name" @change="type"
            /></label>
        </div>
        <p class="mt-1.5 flex flex-wrap items-baseline gap-x-4">
            <button class="plain" data-draw-area @click="drawing.arm(polygon)">{{ has(polygon) ? 'stop drawing' : area ? 'draw another' : 'draw it' }}</button>
            <button class="plain" data-box-area @click="drawing.arm(box)">{{ has(box) ? 'stop drawing' : 'draw a box' }}</button>
            <button v-if="change" class="plain" data-change-area @click="drawing.arm(change)">
                {{ has(change) ? 'finish editing' : 'edit its corners' }}
            </button>
            <select v-if="files.length" class="field w-auto! min-w-0 flex-1" aria-label="Area from a file" value="" @change="take">
                <option value="">from a vector file</option>
                <option v-for="one in files" :key="one.label" :value="`${one.source.step}/${one.source.output}`">{{ one.label }}</option>
            </select>
        </p>
    </section>
</template>
