<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Inputs, Step } from '../api/client';
import { useBench } from '../bench/useBench';

/** Takes a step off the trail, asked for twice, unless others work on what it made. */
const props = defineProps<{ step: Step }>();

const bench = useBench();
const removing = ref(false);
const others = computed(() => bench.store.steps.value.filter((one) => Object.values(one.inputs as Inputs).some((input) => input.step === props.step.id)));
</script>

<template>
    <p class="text-sm">
        <button v-if="!removing" class="plain text-ink-2!" @click="removing = true">remove this step</button>
        <span v-else-if="others.length" class="text-ochre">Step {{ others.map((one) => one.number).join(', ') }} uses its result: remove that first.</span>
        <span v-else
            >Its results are deleted too. <button class="plain text-madder!" @click="bench.desk.removeStep(step)">Remove</button> ·
            <button class="plain" @click="removing = false">keep</button></span
        >
    </p>
</template>
