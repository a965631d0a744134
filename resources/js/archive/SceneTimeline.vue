<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { computed, useTemplateRef } from 'vue';
import type { Scene } from '../api/client';
import { longDate } from '../plots/format';
import type { ArchiveStore } from './useArchive';

/** What there is, by mission and day. A bar's filled part is what was free of clouds. */
const props = defineProps<{ store: ArchiveStore }>();
const { found, scenes, chosen, hovered, orderOf, toggle } = props.store;

const frame = useTemplateRef<HTMLElement>('frame');
const { width } = useElementSize(frame);
const LEFT = 148;
const ROW = 32;
const HIGH = 20;
const rows = computed(() =>
    (found.value?.collections ?? [])
        .map(({ id, title }) => ({ id, title, scenes: scenes.value.filter((scene) => scene.collection === id) }))
        .filter((row) => row.scenes.length),
);
const day = (scene: Scene) => Date.parse(scene.time) / 86_400_000;
const span = computed(() => {
    const days = scenes.value.map(day).filter(Number.isFinite);
    const [first, last] = days.length ? [Math.min(...days), Math.max(...days)] : [0, 1];
    const rim = Math.max(8, (last - first) * 0.02);
    return [first - rim, last + rim] as const;
});
const x = (at: number) => LEFT + ((at - span.value[0]) / (span.value[1] - span.value[0])) * Math.max(10, width.value - LEFT - 10);
const months = computed(() => {
    const out: { x: number; label: string; year: boolean }[] = [];
    const months = (span.value[1] - span.value[0]) / 30;
    const step = months > 30 ? 12 : months > 14 ? 6 : months > 7 ? 3 : 1;
    const at = new Date(span.value[0] * 86_400_000);
    at.setUTCDate(1);
    for (let i = 0; i < 400; i++) {
        at.setUTCMonth(at.getUTCMonth() + 1);
        const on = at.getTime() / 86_400_000;
        if (on > span.value[1]) break;
        if (at.getUTCMonth() % step === 0)
            out.push({
                x: x(on),
                year: at.getUTCMonth() === 0,
                label: at.getUTCMonth() === 0 ? String(at.getUTCFullYear()) : at.toLocaleDateString('en-GB', { month: 'short', timeZone: 'UTC' }),
            });
    }
    return out;
});
const height = computed(() => rows.value.length * ROW + 22);
const words = (scene: Scene) => {
    const cloud = scene.cloud === null ? '' : `${Math.round(scene.cloud)} % cloud`;
    const states = [chosen.value.includes(scene.id) ? 'chosen' : '', orderOf(scene) ? 'ordered' : ''];
    return [longDate(scene.time.slice(0, 10)), scene.title, cloud, ...states].filter(Boolean).join(', ');
};
</script>

<template>
    <div ref="frame" class="px-4 py-2" data-timeline>
        <svg :width="Math.max(10, width - 4)" :height="height" role="group" aria-label="Scenes by day">
            <g v-for="month in months" :key="month.label + month.x">
                <path :d="`M${month.x} 0V${height - 18}`" stroke="var(--line)" :stroke-width="month.year ? 1.5 : 0.7" />
                <text :x="month.x + 3" :y="height - 5" font-size="11" fill="var(--ink-2)" class="figures">{{ month.label }}</text>
            </g>
            <g v-for="(row, r) in rows" :key="row.id">
                <text :x="0" :y="r * ROW + 20" font-size="12.5" fill="var(--ink)">{{ row.title.split(',')[0] }}</text>
                <g
                    v-for="scene in row.scenes"
                    :key="scene.id"
                    role="checkbox"
                    tabindex="0"
                    class="cursor-pointer"
                    :aria-checked="chosen.includes(scene.id)"
                    :aria-label="words(scene)"
                    :data-mark="scene.id"
                    @click="toggle(scene)"
                    @keydown.enter.prevent="toggle(scene)"
                    @keydown.space.prevent="toggle(scene)"
                    @mouseenter="hovered = scene.id"
                    @mouseleave="hovered = null"
                    @focus="hovered = scene.id"
                    @blur="hovered = null"
                >
                    <title>{{ words(scene) }}</title>
                    <rect :x="x(day(scene)) - 5" :y="r * ROW + 2" width="10" :height="HIGH + 8" fill="transparent" />
                    <rect
                        v-if="chosen.includes(scene.id)"
                        :x="x(day(scene)) - 6.5"
                        :y="r * ROW + 2.5"
                        width="13"
                        :height="HIGH + 7"
                        fill="none"
                        stroke="var(--ink)"
                        stroke-width="1.6"
                        rx="2"
                    />
                    <rect
                        :x="x(day(scene)) - 3.5"
                        :y="r * ROW + 6"
                        width="7"
                        :height="HIGH"
                        fill="var(--paper)"
                        :stroke="hovered === scene.id ? 'var(--verdigris)' : 'var(--ink-2)'"
                        :stroke-width="hovered === scene.id ? 2 : 1"
                    />
                    <rect
                        :x="x(day(scene)) - 3.5"
                        :y="r * ROW + 6 + (HIGH * (scene.cloud ?? 0)) / 100"
                        width="7"
                        :height="(HIGH * (100 - (scene.cloud ?? 0))) / 100"
                        :fill="hovered === scene.id ? 'var(--verdigris)' : 'var(--ink-2)'"
                    />
                    <path v-if="orderOf(scene)" :d="`M${x(day(scene)) - 3} ${r * ROW + 30}h6`" stroke="var(--verdigris)" stroke-width="2.5" />
                </g>
            </g>
        </svg>
    </div>
</template>
