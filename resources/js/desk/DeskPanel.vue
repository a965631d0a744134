<script setup lang="ts">
import { useBench } from '../bench/useBench';
import StageDesk from './StageDesk.vue';
import StepDesk from './StepDesk.vue';

const bench = useBench();
</script>

<template>
    <aside class="min-h-0 overflow-auto border-l border-line bg-paper" aria-label="Desk">
        <StepDesk v-if="bench.desk.kind.value" />
        <StageDesk v-else />
    </aside>
</template>
