<script setup lang="ts">
import { ChevronDownIcon, ChevronRightIcon, ExclamationTriangleIcon } from '@heroicons/vue/20/solid';
import { useLocalStorage } from '@vueuse/core';
import { computed, ref } from 'vue';
import { api, must, type Step } from '../api/client';
import { useBench } from '../bench/useBench';
import { longDate } from '../plots/format';
import { datesOf, usedBy } from './dates';
import TrailLine from './TrailLine.vue';

const bench = useBench();
const hovered = ref<number | null>(null);
const current = computed(() => bench.desk.step.value?.id);
const stale = computed(() => bench.store.steps.value.filter((step) => step.state === 'stale').length);
const related = computed(() => {
    const at = hovered.value;
    const step = bench.store.steps.value.find((one) => one.id === at);
    if (!step) return { used: new Set<number>(), hanging: new Set<number>() };
    const hanging = new Set<number>();
    for (const other of bench.store.steps.value) if (usedBy(other).some((id) => id === at || hanging.has(id))) hanging.add(other.id);
    return { used: new Set(usedBy(step)), hanging };
});
const tie = (id: number) => (related.value.used.has(id) ? 'input' : related.value.hanging.has(id) ? 'depends' : '');
/** Steps of one date stand together, in their order; the date of the first step comes first. */
const groups = computed(() => {
    const dates = datesOf(bench.store.steps.value);
    const found = new Map<string, Step[]>();
    for (const step of bench.store.steps.value) {
        const date = dates.get(step.id) ?? '';
        found.set(date, [...(found.get(date) ?? []), step]);
    }
    return [...found.entries()].map(([date, steps]) => ({ date, steps }));
});

/** Dates whose steps are folded away. */
const folded = useLocalStorage<string[]>(`trail/${bench.id}/folded`, []);
function fold(date: string): void {
    folded.value = folded.value.includes(date) ? folded.value.filter((one) => one !== date) : [...folded.value, date];
}
/** Of a folded date only what is on the desk, so that one sees where one is, and what runs or failed. */
const visible = (group: { date: string; steps: Step[] }) =>
    folded.value.includes(group.date)
        ? group.steps.filter((step) => step.id === current.value || ['waiting', 'running', 'failed'].includes(step.state))
        : group.steps;

async function refresh(): Promise<void> {
    const answer = await bench.store.act(() => must(api.POST('/studies/{study}/refresh', { params: { path: { study: bench.id } } })));
    if (answer?.kept.length)
        bench.store.message.value = `Step ${answer.kept.join(', ')} was not run again, to keep your labels. Run it yourself to draw new points.`;
}
</script>

<template>
    <nav class="flex min-h-0 flex-col overflow-auto border-r border-line bg-paper" aria-label="Trail">
        <p v-if="stale" class="flex items-center gap-2 border-b border-line px-3 py-2 text-sm text-ochre">
            <ExclamationTriangleIcon class="size-4 shrink-0" />{{ stale }} stale
            <button class="plain ml-auto" data-refresh @click="refresh">run again</button>
        </p>
        <p v-if="!bench.store.steps.value.length" class="p-4 text-ink-2">
            The trail is empty. Each step you run appears here with its inputs and results.
            <button class="plain" @click="bench.desk.openStage('gather')">Read a scene</button>
        </p>
        <ol class="py-2">
            <template v-for="group in groups" :key="group.date">
                <li v-if="group.date">
                    <button
                        class="flex w-full items-center gap-1 px-2 pt-2 pb-1 text-left text-sm text-ink-2 hover:text-ink"
                        :aria-expanded="!folded.includes(group.date)"
                        data-trail-date
                        @click="fold(group.date)"
                    >
                        <component :is="folded.includes(group.date) ? ChevronRightIcon : ChevronDownIcon" class="size-4 shrink-0" />{{ longDate(group.date)
                        }}<span v-if="folded.includes(group.date)" class="figures ml-auto">{{ group.steps.length }}</span>
                    </button>
                </li>
                <li v-for="step in visible(group)" :key="step.id">
                    <TrailLine :step="step" :is-current="step.id === current" :tie="tie(step.id)" @hover="hovered = $event" />
                </li>
            </template>
        </ol>
    </nav>
</template>
