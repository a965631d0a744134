<script setup lang="ts">
import { useBench } from '../bench/useBench';
import GoneDesk from './GoneDesk.vue';
import StageDesk from './StageDesk.vue';
import StepDesk from './StepDesk.vue';

const bench = useBench();
</script>

<template>
    <aside class="min-h-0 scroll-pb-20 overflow-auto border-l border-line bg-paper" aria-label="Desk">
        <StepDesk v-if="bench.desk.kind.value" />
        <GoneDesk v-else-if="bench.desk.step.value" :key="bench.desk.step.value.id" :step="bench.desk.step.value" />
        <StageDesk v-else />
    </aside>
</template>
