<script setup lang="ts">
import { ArrowPathIcon, ClockIcon, PencilSquareIcon, StopCircleIcon, XCircleIcon } from '@heroicons/vue/20/solid';
import { computed } from 'vue';
import { isRaster, type RasterItem, type Step } from '../api/client';
import { useBench } from '../bench/useBench';
import SmallPicture from '../views/SmallPicture.vue';
import { stateOf, stateTone, whyOf } from './stepText';

/** A step on the trail. It is drawn anew only when it changes, however many there are. */
const props = defineProps<{ step: Step; isCurrent: boolean; tie: string }>();
const emit = defineEmits<{ hover: [step: number | null] }>();
const bench = useBench();

const picture = computed(() => (props.step.items.find((item) => item.output === 'classes') ?? props.step.items.find(isRaster)) as RasterItem | undefined);
const icons = { waiting: ClockIcon, stale: ArrowPathIcon, failed: XCircleIcon, stopped: StopCircleIcon, draft: PencilSquareIcon } as Record<
    string,
    typeof ClockIcon
>;
</script>

<template>
    <button
        class="group relative grid w-full grid-cols-[minmax(1.1rem,max-content)_auto_1fr] items-center gap-x-2 border-l-3 py-1.5 pr-2 pl-2 text-left"
        :class="isCurrent ? 'border-verdigris bg-paper-2' : 'border-transparent hover:bg-paper-2'"
        :aria-current="isCurrent ? 'step' : undefined"
        :data-step="step.number"
        @click="bench.desk.openStep(step)"
        @mouseenter="emit('hover', step.id)"
        @mouseleave="emit('hover', null)"
        @focus="emit('hover', step.id)"
        @blur="emit('hover', null)"
    >
        <span class="figures text-right text-ink-2" :class="isCurrent ? 'font-semibold text-verdigris!' : ''">{{ step.number }}</span>
        <span class="relative">
            <SmallPicture v-if="picture?.raster" :item="picture" :natural="step.kind.startsWith('gather.')" />
            <svg v-else viewBox="0 0 44 34" class="h-[34px] w-[44px] rounded-xs border border-line" aria-hidden="true">
                <path
                    v-if="step.items.some((item) => item.type === 'points')"
                    d="M9 10h0M22 7h0M34 14h0M14 24h0M28 26h0"
                    stroke="var(--ink-2)"
                    stroke-width="4"
                    stroke-linecap="round"
                />
                <path v-else-if="step.items.length" d="M10 10h24M10 17h24M10 24h14" stroke="var(--ink-2)" stroke-width="1.5" />
            </svg>
            <span v-if="tie" class="absolute inset-x-0 bottom-0 bg-paper text-center text-[0.6875rem]/3 font-semibold text-verdigris" data-tie>{{ tie }}</span>
        </span>
        <span class="min-w-0">
            <span class="block leading-tight">{{ step.title }}</span>
            <span v-if="step.choice" class="block truncate text-xs text-ink-2">{{ step.choice }}</span>
            <span v-if="stateOf(step)" class="flex items-start gap-1 text-xs" :class="stateTone[step.state] ?? 'text-ink-2'" data-state>
                <component :is="icons[step.state]" v-if="icons[step.state]" class="mt-px size-3.5 shrink-0" />
                <span :class="whyOf(step) ? 'group-hover:hidden group-focus-visible:hidden' : ''">{{ stateOf(step) }}</span>
                <span v-if="whyOf(step)" class="hidden group-hover:inline group-focus-visible:inline">{{ whyOf(step) }}</span>
            </span>
            <span v-if="step.note" class="block truncate text-xs italic text-ink-2" :title="step.note">{{ step.note }}</span>
            <span
                v-if="step.state === 'running'"
                class="mt-1 block h-1 rounded-full bg-line"
                role="progressbar"
                :aria-valuenow="Math.round(step.progress * 100)"
                :aria-label="`Step ${step.number}`"
                ><span class="block h-1 rounded-full bg-verdigris" :style="{ width: `${step.progress * 100}%` }"
            /></span>
        </span>
    </button>
</template>
