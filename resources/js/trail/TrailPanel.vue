<script setup lang="ts">
import { ArrowPathIcon, ClockIcon, ExclamationTriangleIcon, PencilSquareIcon, StopCircleIcon, XCircleIcon } from '@heroicons/vue/20/solid';
import { computed, ref } from 'vue';
import { api, isRaster, must, type Inputs, type Step } from '../api/client';
import { useBench } from '../bench/useBench';
import { longDate } from '../plots/format';
import SmallPicture from '../views/SmallPicture.vue';
import { choiceOf, stateOf, stateTone } from './stepText';

const bench = useBench();
const hovered = ref<number | null>(null);
const current = computed(() => bench.step.value?.id);
const stale = computed(() => bench.steps.value.filter((step) => step.state === 'stale').length);
const picture = (step: Step) => step.items.find((item) => item.output === 'classes') ?? step.items.find(isRaster);
const usedBy = (step: Step) => Object.values(step.inputs as Inputs).flatMap((input) => (input.step ? [input.step] : []));
const related = computed(() => {
    const at = hovered.value;
    const step = bench.steps.value.find((one) => one.id === at);
    if (!step) return { used: new Set<number>(), hanging: new Set<number>() };
    const hanging = new Set<number>();
    for (const other of bench.steps.value) if (usedBy(other).some((id) => id === at || hanging.has(id))) hanging.add(other.id);
    return { used: new Set(usedBy(step)), hanging };
});
const tie = (id: number) => (related.value.used.has(id) ? 'used by it' : related.value.hanging.has(id) ? 'hangs on it' : '');
/** The date of what a step made, else of what it works on. */
function dateOf(step: Step): string {
    const own = step.items.find(isRaster)?.raster.date;
    if (own) return own;
    const from = bench.steps.value.find((one) => usedBy(step).includes(one.id) && one.number < step.number);
    return from ? dateOf(from) : '';
}
/** Steps of one date stand together, in their order; the date of the first step comes first. */
const groups = computed(() => {
    const found = new Map<string, Step[]>();
    for (const step of bench.steps.value) found.set(dateOf(step), [...(found.get(dateOf(step)) ?? []), step]);
    return [...found.entries()].map(([date, steps]) => ({ date, steps }));
});
const icons = { waiting: ClockIcon, stale: ArrowPathIcon, failed: XCircleIcon, stopped: StopCircleIcon, draft: PencilSquareIcon } as Record<string, typeof ClockIcon>;

async function refresh(): Promise<void> {
    const answer = await bench.act(() => must(api.POST('/studies/{study}/refresh', { params: { path: { study: bench.id } } })));
    if (answer?.kept.length) bench.message.value = `Step ${answer.kept.join(', ')} is left as it is: it holds your labels. Run it by hand to draw its points anew.`;
}
</script>

<template>
    <nav class="flex min-h-0 flex-col overflow-auto border-r border-line bg-paper" aria-label="Trail">
        <p v-if="stale" class="flex items-center gap-2 border-b border-line px-3 py-2 text-sm text-ochre">
            <ExclamationTriangleIcon class="size-4 shrink-0" />{{ stale }} stale
            <button class="plain ml-auto" data-refresh @click="refresh">run anew</button>
        </p>
        <p v-if="!bench.steps.value.length" class="p-4 text-ink-2">The trail is empty. Each step you run stands here with what it used and what it made. <button class="plain" @click="bench.openStage('gather')">Bring a scene in</button></p>
        <ol class="py-2">
            <template v-for="group in groups" :key="group.date">
                <li v-if="group.date" class="px-3 pt-2 pb-1 text-sm text-ink-2" data-trail-date>{{ longDate(group.date) }}</li>
                <li v-for="step in group.steps" :key="step.id">
                    <button class="relative grid w-full grid-cols-[1.1rem_auto_1fr] items-center gap-x-2 border-l-3 py-1.5 pr-2 pl-2 text-left" :class="step.id === current ? 'border-verdigris bg-paper-2' : 'border-transparent hover:bg-paper-2'"
                        :aria-current="step.id === current ? 'step' : undefined" :data-step="step.number" @click="bench.openStep(step)" @mouseenter="hovered = step.id" @mouseleave="hovered = null" @focus="hovered = step.id" @blur="hovered = null">
                        <span class="figures text-right text-ink-2" :class="step.id === current ? 'font-semibold text-verdigris!' : ''">{{ step.number }}</span>
                        <SmallPicture v-if="picture(step)?.raster" :item="(picture(step) as never)" :natural="step.kind.startsWith('gather.')" />
                        <svg v-else viewBox="0 0 44 34" class="h-[34px] w-[44px] rounded-xs border border-line" aria-hidden="true"><path v-if="step.items.some((item) => item.type === 'points')" d="M9 10h0M22 7h0M34 14h0M14 24h0M28 26h0" stroke="var(--ink-2)" stroke-width="4" stroke-linecap="round" /><path v-else-if="step.items.length" d="M10 10h24M10 17h24M10 24h14" stroke="var(--ink-2)" stroke-width="1.5" /></svg>
                        <span class="min-w-0">
                            <span class="block leading-tight">{{ step.title }}</span>
                            <span v-if="choiceOf(step)" class="block truncate text-xs text-ink-2">{{ choiceOf(step) }}</span>
                            <span v-if="stateOf(step)" class="flex items-start gap-1 text-xs" :class="stateTone[step.state] ?? 'text-ink-2'">
                                <component :is="icons[step.state]" v-if="icons[step.state]" class="mt-px size-3.5 shrink-0" />{{ stateOf(step) }}
                            </span>
                            <span v-if="step.note" class="block truncate text-xs italic text-ink-2" :title="step.note">{{ step.note }}</span>
                            <span v-if="tie(step.id)" class="absolute right-1 -bottom-1.5 z-10 rounded-xs bg-paper px-1 text-[0.6875rem]/3 font-semibold text-verdigris">{{ tie(step.id) }}</span>
                            <span v-if="step.state === 'running'" class="mt-1 block h-1 rounded-full bg-line" role="progressbar" :aria-valuenow="Math.round(step.progress * 100)" :aria-label="`Step ${step.number}`"><span class="block h-1 rounded-full bg-verdigris" :style="{ width: `${step.progress * 100}%` }" /></span>
                        </span>
                    </button>
                </li>
            </template>
        </ol>
    </nav>
</template>
