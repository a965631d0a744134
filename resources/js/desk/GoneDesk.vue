<script setup lang="ts">
import type { Step } from '../api/client';
import FiguresPanel from './FiguresPanel.vue';
import RemoveStep from './RemoveStep.vue';

/** A step of a kind that this version does not have: what it made is still there. */
defineProps<{ step: Step }>();
</script>

<template>
    <div class="space-y-4 p-4" data-gone>
        <h2 class="text-lg leading-tight font-semibold">{{ step.title }}</h2>
        <p>This version has no such kind of step: what step {{ step.number }} made can be looked at and used, but it can't be run again.</p>
        <FiguresPanel v-if="step.report" :report="step.report" />
        <RemoveStep :step="step" />
    </div>
</template>
