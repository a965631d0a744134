<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { computed, useTemplateRef } from 'vue';
import { useBench } from '../bench/useBench';
import { hectares, number, short } from '../plots/format';
import { useTicks } from './useTicks';
import { binned } from './bins';
import { spare } from './edit';
import { CARD, river, shape, type Arm, type Fork } from './river';
import RuleList from './RuleList.vue';
import { NO, NONE, YES, type Couplet } from './sort';

/** The key as a river that parts: width is area; at each fork its question and what reaches it. */
const bench = useBench();
const { key } = bench;
const frame = useTemplateRef<HTMLElement>('frame');
const { width, height } = useElementSize(frame);

const drawn = computed(() =>
    key.document.value && key.flow.value
        ? river(key.document.value, key.flow.value, key.all.value, { width: Math.max(320, width.value), height: Math.max(150, height.value - 4) })
        : null,
);
const unit = computed(() => (key.source.value ? 'segments' : 'pixels'));
const area = (pixels: number) => (key.pixelHectares.value === null ? `${number(pixels)} px` : hectares(pixels * key.pixelHectares.value));
const flow = (arm: { cases: number; pixels: number }) => (key.source.value ? `${area(arm.pixels)} · ${number(arm.cases)}` : area(arm.pixels));
const nameOf = (arm: Arm) => (arm.side === 'none' ? 'no value' : (arm.class ?? 'unlabelled'));
const limitText = (one: Couplet) =>
    one.measure === undefined
        ? `by ${one.examples?.given?.length ?? one.examples?.values?.length ?? 0} examples`
        : [one.least === undefined ? '' : `≥ ${short(one.least)}`, one.below === undefined ? '' : `< ${short(one.below)}`].filter(Boolean).join(' and ');
const cards = computed(() =>
    (drawn.value?.forks ?? []).map((fork) => {
        const x = Math.min(fork.x - 14, drawn.value!.width - CARD.width - 4);
        const y = Math.max(2, Math.min(drawn.value!.height - CARD.height - 2, fork.y - CARD.height / 2));
        return {
            ...fork,
            x,
            y,
            isShown: key.couplet.value?.id === fork.couplet.id,
            bars: bars(fork),
            step: key.way.value?.find((one) => one.couplet.id === fork.couplet.id),
        };
    }),
);
/** What reaches a fork, where the limit lies in it. */
function bars(fork: Fork) {
    const { couplet } = fork;
    const answers = key.sorted.value?.answers.get(couplet.id);
    const values = couplet.measure === undefined ? key.shares.get(couplet.id) : key.column(couplet.measure);
    if (!answers || !values || !key.pixels.value) return null;
    const found = binned(values, key.pixels.value, answers, 26);
    if (!found) return null;
    const [low, high] = found.ends;
    const at = (value: number) => 6 + ((CARD.width - 12) * (value - low)) / Math.max(1e-12, high - low);
    const limits = couplet.measure === undefined ? [0.5] : [couplet.least, couplet.below].filter((one): one is number => one !== undefined);
    const ticks = (couplet.measure === undefined ? [] : pegs.of(couplet.measure, answers)).filter((tick) => tick.value >= low && tick.value <= high);
    const top = Math.max(1, ...found.counts.map(([yes, no]) => yes + no));
    return {
        bins: found.counts.map(([yes, no], i) => ({ x: 6 + (i * (CARD.width - 12)) / 26, yes: (20 * yes) / top, no: (20 * no) / top })),
        limits: limits.filter((limit) => limit >= low && limit <= high).map(at),
        ticks: ticks.map((tick) => ({ ...tick, x: at(tick.value) })),
    };
}
const pegs = useTicks(bench);
const colourAt = (couplet: Couplet, side: 'yes' | 'no') => drawn.value?.arms.find((arm) => arm.id === `${couplet.id}/${side}`)?.colour;
const sideOf: Record<number, Arm['side']> = { [YES]: 'yes', [NO]: 'no', [NONE]: 'none' };
function isOnWay(arm: Arm): boolean {
    if (arm.side === 'all') return Boolean(key.way.value);
    return key.way.value?.some((one) => one.couplet.id === arm.id.split('/')[0] && arm.side === sideOf[one.answer]) ?? false;
}
const isPointed = (arm: Arm) => arm.id === `${key.arm.value?.couplet}/${key.arm.value?.side}`;
function point(arm: Arm | null): void {
    key.arm.value = arm && arm.side !== 'all' ? { couplet: arm.id.split('/')[0]!, side: arm.side } : null;
}
/** All that flows through an arm is chosen. */
function choose(): void {
    const [item, numbers, marked] = [key.item.value, key.numbers.value, key.marked.value];
    if (item && numbers && marked) bench.segments.chooseOf(item.id, new Set([...marked].map((place) => numbers[place]!)));
}
const ask = (arm: Arm) => (key.asking.value = { at: arm.at });
const canAsk = (arm: Arm) => arm.into === null && arm.side !== 'none';
/** What the segment that is pointed at answered there, and by how much. */
function byText({ couplet, step }: { couplet: Couplet; step?: { by: number | null; answer: number } }): string {
    if (!step) return '';
    if (step.answer === NONE) return 'no value';
    const word = step.answer === YES ? 'yes' : 'no';
    if (step.by === null) return word;
    return couplet.measure === undefined ? `${word}, ${Math.round(100 * step.by)} %` : `${word} by ${short(step.by)}`;
}
const troubled = (couplet: string) => key.problem.value?.about === `key/couplets/${couplet}`;
const spares = computed(() => (key.document.value ? spare(key.document.value) : []));
</script>

<template>
    <section class="grid h-[262px] shrink-0 grid-cols-[minmax(0,1fr)_168px] border-t border-line bg-paper" aria-label="The key" data-river>
        <div class="flex min-w-0 flex-col">
            <p class="flex items-baseline gap-3 px-3 pt-2 text-sm whitespace-nowrap">
                <b class="truncate">{{ key.document.value?.name || 'The key' }}</b>
                <span v-if="drawn" class="text-ink-2"
                    ><span class="figures">{{ number(key.all.value.cases) }}</span> {{ unit }}, {{ area(key.all.value.pixels) }}; width is area</span
                >
                <span v-else-if="!key.document.value" class="text-ink-2">Choose or start a key on the desk.</span>
                <span v-else class="text-ink-2">Choose on the desk what to classify.</span>
                <span class="ml-auto" aria-live="polite">
                    <span v-if="key.problem.value" class="text-madder">{{ key.problem.value.text.length > 60 ? 'see the desk' : key.problem.value.text }}</span>
                    <span v-else-if="key.looking.value" class="text-ink-2">computing …</span>
                </span>
                <a v-if="key.keyId.value !== null" class="plain" :href="`/api/keys/${key.keyId.value}/file`" download data-save-key>save the key</a>
            </p>
            <div ref="frame" class="min-h-0 flex-1 overflow-auto px-3 pb-1">
                <svg
                    v-if="drawn"
                    :width="drawn.width"
                    :height="drawn.height"
                    :viewBox="`0 0 ${drawn.width} ${drawn.height}`"
                    class="block select-none"
                    role="group"
                    aria-label="Questions and their answers"
                    @pointerleave="point(null)"
                >
                    <g v-for="arm in drawn.arms" :key="arm.id">
                        <path
                            :d="shape(arm)"
                            :fill="arm.colour"
                            :opacity="(key.arm.value && !isPointed(arm)) || (key.way.value && !isOnWay(arm)) ? 0.35 : 0.92"
                            :stroke="isPointed(arm) || isOnWay(arm) ? 'var(--ink)' : 'none'"
                            stroke-width="1.5"
                            :data-arm="arm.id"
                            :data-width="(arm.to[2] - arm.to[1]).toFixed(1)"
                            :role="arm.side === 'all' ? undefined : 'button'"
                            :tabindex="arm.side === 'all' ? undefined : 0"
                            :aria-label="arm.side === 'all' ? undefined : `${arm.side} of ${arm.id.split('/')[0]}: ${nameOf(arm)}, ${flow(arm)}`"
                            @pointerenter="point(arm)"
                            @focus="point(arm)"
                            @blur="point(null)"
                            @click="choose"
                            @keydown.enter="choose"
                        />
                        <g v-if="arm.into === null">
                            <text :x="arm.to[0] - 4" :y="arm.to[1] - 5" text-anchor="end" font-size="12" fill="var(--ink)" class="pointer-events-none">
                                <tspan>{{ nameOf(arm) }}</tspan>
                                <tspan dx="8" style="font-size: 10.5px" class="figures" fill="var(--ink-2)">{{ flow(arm) }}</tspan>
                            </text>
                        </g>
                    </g>
                    <g
                        v-for="fork in cards"
                        :key="fork.couplet.id"
                        :transform="`translate(${fork.x} ${fork.y})`"
                        role="button"
                        tabindex="0"
                        class="cursor-pointer"
                        :aria-pressed="fork.isShown"
                        :aria-label="`${fork.couplet.question || fork.couplet.id} ${byText(fork) || limitText(fork.couplet)}`"
                        :data-fork="fork.couplet.id"
                        @click="((key.selected.value = fork.couplet.id), (key.asking.value = null))"
                        @keydown.enter="((key.selected.value = fork.couplet.id), (key.asking.value = null))"
                    >
                        <rect
                            :width="CARD.width"
                            :height="CARD.height"
                            rx="3"
                            fill="var(--paper)"
                            :stroke="troubled(fork.couplet.id) ? 'var(--madder)' : fork.isShown ? 'var(--verdigris)' : 'var(--line)'"
                            :stroke-width="fork.isShown || troubled(fork.couplet.id) ? 2 : 1"
                        />
                        <svg :width="CARD.width - 8" height="36" x="6" y="0" overflow="hidden">
                            <text y="14" font-size="11.5" font-weight="600" fill="var(--ink)">{{ fork.couplet.question || fork.couplet.id }}</text>
                            <text v-if="byText(fork)" y="28" font-size="10.5" font-weight="600" fill="var(--verdigris)" data-by>{{ byText(fork) }}</text>
                            <text v-else y="28" style="font-size: 10px" class="figures" fill="var(--ink-2)">{{ limitText(fork.couplet) }}</text>
                        </svg>
                        <g v-if="fork.bars">
                            <template v-for="(bar, i) in fork.bars.bins" :key="i">
                                <rect :x="bar.x" :y="CARD.height - 5 - bar.yes - bar.no" width="3.4" :height="bar.no" :fill="colourAt(fork.couplet, 'no')" />
                                <rect :x="bar.x" :y="CARD.height - 5 - bar.yes" width="3.4" :height="bar.yes" :fill="colourAt(fork.couplet, 'yes')" />
                            </template>
                            <path
                                v-for="(at, i) in fork.bars.limits"
                                :key="i"
                                :d="`M${at} ${CARD.height - 28}V${CARD.height - 3}`"
                                stroke="var(--verdigris)"
                                stroke-width="1.6"
                            />
                            <path
                                v-for="tick in fork.bars.ticks"
                                :key="tick.letter"
                                :d="`M${tick.x} ${CARD.height - 5}v5`"
                                :stroke="tick.colour"
                                stroke-width="3"
                                :data-tick="tick.letter"
                            />
                        </g>
                    </g>
                    <g v-for="arm in drawn.arms.filter(canAsk)" :key="`ask/${arm.id}`">
                        <g
                            role="button"
                            tabindex="0"
                            class="cursor-pointer"
                            :aria-label="`Add a question on ${nameOf(arm)}`"
                            :transform="`translate(${Math.max(60, arm.to[0] - 118)} ${(arm.to[1] + arm.to[2]) / 2})`"
                            :data-ask="arm.id"
                            @click="ask(arm)"
                            @keydown.enter="ask(arm)"
                        >
                            <title>Add a question on {{ nameOf(arm) }}</title>
                            <circle r="12" fill="transparent" />
                            <circle r="8" fill="var(--paper)" stroke="var(--verdigris)" />
                            <path d="M-4 0h8M0-4v8" stroke="var(--verdigris)" stroke-width="1.6" />
                        </g>
                    </g>
                </svg>
            </div>
            <p v-if="spares.length" class="flex flex-wrap gap-x-3 border-t border-line px-3 py-1 text-xs text-ink-2" data-spares>
                detached:
                <span v-for="one in spares" :key="one.id">{{ one.question || one.id }}</span>
                <span>(reattach them from the desk of any end)</span>
            </p>
        </div>
        <RuleList class="border-l border-line" />
    </section>
</template>
