<script setup lang="ts">
import type { Work } from '../api/client';
import { stateOf, stateTone } from '../trail/stepText';

defineProps<{ work: Work[]; problem: string }>();
defineEmits<{ stop: [step: Work]; run: [step: Work] }>();
</script>

<template>
    <div>
        <p v-if="problem" role="alert" class="px-3 py-2 text-madder">{{ problem }}</p>
        <p v-if="!work.length" class="px-3 py-2 text-ink-2">Nothing is running. Steps you run appear here, from all studies.</p>
        <ul>
            <li v-for="step in work" :key="step.id" class="grid grid-cols-[1fr_auto] gap-x-3 border-b border-line px-3 py-2 last:border-0">
                <RouterLink :to="`/studies/${step.study}`" class="min-w-0 truncate hover:text-verdigris"
                    >{{ step.studyName }} · {{ step.number }} {{ step.title }}</RouterLink
                >
                <button v-if="step.state === 'running' || step.state === 'waiting'" class="plain" @click="$emit('stop', step)">stop</button>
                <button v-else-if="step.state === 'failed' || step.state === 'stopped'" class="plain" @click="$emit('run', step)">run again</button>
                <span v-else />
                <span class="col-span-2 text-sm" :class="stateTone[step.state] ?? 'text-ink-2'"
                    >{{ step.state === 'done' ? 'done' : stateOf(step) }}{{ step.problem ? `: ${step.problem}` : '' }}</span
                >
                <span v-if="step.state === 'running'" class="col-span-2 mt-1 h-1 rounded-full bg-line"
                    ><span class="block h-1 rounded-full bg-verdigris" :style="{ width: `${step.progress * 100}%` }"
                /></span>
            </li>
        </ul>
    </div>
</template>
