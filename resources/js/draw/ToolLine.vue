<script setup lang="ts">
import { computed } from 'vue';
import { useBench } from '../bench/useBench';
import GrowthCard from '../training/GrowthCard.vue';
import RulerCard from './RulerCard.vue';
import { drawingOf, isRuler, ruler, sameTool, shapeNames } from './tool';

/** What is in hand, over the views, with the way out of it. */
const { drawing, training } = useBench();
const tool = drawing.tool;
const isMeasuring = computed(() => isRuler(tool.value));
const where = computed(() => {
    const id = drawingOf(tool.value);
    const one = tool.value?.does === 'draw' && tool.value.into === 'area' ? drawing.area.value : drawing.byId(id ?? -1);
    if (tool.value && 'class' in tool.value && tool.value.class) return '';
    return isMeasuring.value ? '' : one === drawing.area.value ? "the study's area" : (one?.name ?? '');
});
const name = computed(() => {
    if (tool.value?.does === 'example') return `examples: ${tool.value.answer}`;
    if (tool.value?.does === 'grow' || tool.value?.does === 'take') return `${tool.value.does === 'grow' ? 'growing' : 'taking segments'}: ${tool.value.class}`;
    if (tool.value?.does === 'name') return 'naming clusters';
    if (tool.value?.does !== 'draw') return 'moving areas';
    if (tool.value.class) return `${shapeNames[tool.value.shape]}: ${tool.value.class}`;
    return isMeasuring.value ? 'ruler' : tool.value.into === 'area' ? 'drawing the area' : `drawing: ${shapeNames[tool.value.shape]}`;
});
const hint = computed(() => {
    if (tool.value?.does === 'change')
        return (
            'Drag a corner, drag a side to add one, or drag an area by its inside; Alt-click removes a corner. ' +
            'Keyboard: Enter picks up and drops, Delete removes. Hold Space to move the image.'
        );
    if (tool.value?.does === 'example') return 'Click a segment to give it this answer, again to undo. Keyboard: Enter for the one in the middle.';
    if (tool.value?.does === 'grow') return 'Click a seed: similar pixels join it. Adjust the similarity, then keep the area. Keyboard: Enter in the middle.';
    if (tool.value?.does === 'take') return 'Click a segment: its outline becomes an area. Keyboard: Enter for the one in the middle.';
    if (tool.value?.does === 'name') return 'Click a cluster to give it the name on the desk. Keyboard: Enter for the one in the middle.';
    if (tool.value?.does !== 'draw') return '';
    return {
        point: 'Click its position.',
        box: 'Click two opposite corners.',
        line: 'Click each point, the last one twice. Backspace removes the last.',
        free: 'Hold the button and draw around. Keyboard: Enter for each corner, Shift+Enter to close. Hold Space to move the image.',
        polygon: 'Click each corner, the first again or the last twice to close; hold Shift to draw freehand. Backspace removes the last.',
    }[tool.value.shape];
});
</script>

<template>
    <template v-if="tool && tool.does !== 'peg'">
        <button class="rounded bg-white px-1 font-semibold text-black" aria-pressed="true" title="End it (Esc)" data-tool @click="drawing.leave()">
            {{ name }}<span v-if="where && name !== 'drawing the area'" class="font-normal"> · {{ where }}</span>
        </button>
        <span v-if="isMeasuring" class="flex gap-1" role="group" aria-label="Measured item">
            <button
                v-for="[shape, called] in [
                    ['line', 'line'],
                    ['polygon', 'ring'],
                ] as const"
                :key="shape"
                class="rounded px-1"
                :class="sameTool(tool, ruler(shape)) ? 'underline underline-offset-4' : 'hover:text-white'"
                :aria-pressed="sameTool(tool, ruler(shape))"
                :data-ruler="called"
                @click="sameTool(tool, ruler(shape)) || drawing.arm(ruler(shape))"
            >
                {{ called }}
            </button>
        </span>
        <label v-if="tool.does === 'draw' || tool.does === 'change'" class="flex items-center gap-1"
            ><input v-model="drawing.snap.value" type="checkbox" data-snap />on pixel corners</label
        >
    </template>
    <GrowthCard v-if="training.growth.value" />
    <span v-else-if="hint" class="absolute top-full left-0 mt-1 w-80 rounded bg-surround/85 px-2.5 py-1 text-xs" data-tool-hint
        >{{ hint }}<RulerCard v-if="isMeasuring"
    /></span>
</template>
