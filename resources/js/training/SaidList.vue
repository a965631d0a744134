<script setup lang="ts">
import type { components } from '../api/schema';
import { useBench } from '../bench/useBench';
import { percent } from '../plots/format';

/** What stands against teaching, and pixels that look like another class, each with what can be done about it. */
defineProps<{ told: components['schemas']['Training'] }>();
const { training } = useBench();
</script>

<template>
    <div class="space-y-2 p-2.5 text-sm">
        <p v-if="!told.said.length && !told.strays.length" class="text-ink-2">The training areas are fit for use.</p>
        <ul v-if="told.said.length" class="space-y-1.5" data-said aria-live="polite">
            <li v-for="one in told.said" :key="one.text" class="border-l-2 border-ochre pl-2">
                {{ one.text }}
                <button v-if="one.does === 'split' && one.about" class="plain" data-split @click="training.split(one.about)">Split it</button>
            </li>
        </ul>
        <details v-if="told.strays.length" data-strays :open="!told.said.length">
            <summary class="text-ink-2">
                {{ told.strays.length }} {{ told.strays.length === 1 ? 'area' : 'areas' }} with pixels similar to another class
            </summary>
            <ul class="mt-1">
                <li v-for="one in told.strays" :key="one.area" class="flex items-baseline gap-x-2">
                    <button
                        class="min-h-6 min-w-0 flex-1 truncate text-left hover:text-verdigris"
                        :class="training.stray.value === one.area ? 'font-semibold' : ''"
                        :aria-pressed="training.stray.value === one.area"
                        :title="`${one.class}: ${percent(one.share, 1)} are similar to ${one.as}; shown in the views`"
                        :data-stray="one.area"
                        @click="training.stray.value = training.stray.value === one.area ? null : one.area"
                    >
                        <span class="figures">{{ one.area }}</span> {{ one.class }}: {{ percent(one.share, 0) }} like {{ one.as }}
                    </button>
                    <button class="plain min-h-6" :data-cleanse="one.area" @click="training.cleanse(one.area)">exclude</button>
                </li>
            </ul>
        </details>
    </div>
</template>
