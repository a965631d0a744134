<script setup lang="ts">
import { computed } from 'vue';
import { api, must, type Step } from '../api/client';
import { useFigures } from '../bench/useFigures';
import type { ArchiveStore } from './useArchive';

/** A scene that was ordered: how it comes, or what happened on the way. */
const props = defineProps<{ line: Step; store: ArchiveStore }>();
const step = useFigures(
    computed(() => props.line),
    props.store.message,
);
const story = computed(() => (step.value?.figures?.['on-the-way'] as string[] | undefined) ?? []);

async function again(): Promise<void> {
    await props.store.act(() => must(api.POST('/steps/{step}/run', { params: { path: { step: props.line.id } } })));
}
async function stop(): Promise<void> {
    await props.store.act(() => must(api.POST('/steps/{step}/stop', { params: { path: { step: props.line.id } } })));
}
</script>

<template>
    <div class="mb-2" :data-order-step="line.number">
        <p class="flex items-baseline gap-2 text-sm">
            <b class="min-w-0 truncate">{{ line.settings.scene }}</b><span class="ml-auto shrink-0"
                ><button v-if="['running', 'waiting'].includes(line.state)" class="plain" @click="stop">stop</button
                ><button v-else-if="['failed', 'stopped'].includes(line.state)" class="plain" @click="again">try again</button
                ><span v-else class="text-verdigris">in the study</span></span
            >
        </p>
        <template v-if="line.state === 'running' || line.state === 'waiting'">
            <p class="truncate text-xs text-ink-2" :title="line.doing ?? ''">{{ line.state === 'waiting' ? 'waiting' : line.doing }}</p>
            <div
                class="mt-0.5 h-1 rounded-full bg-line"
                role="progressbar"
                :aria-valuenow="Math.round(line.progress * 100)"
                :aria-label="String(line.settings.scene)"
            >
                <div class="h-1 rounded-full bg-verdigris" :style="{ width: `${line.progress * 100}%` }" />
            </div>
        </template>
        <p v-else-if="line.problem" class="text-xs text-madder">{{ line.problem }}</p>
        <p v-else-if="story.length" class="text-xs text-ink-2" data-story>{{ story.join('; ') }}</p>
    </div>
</template>
