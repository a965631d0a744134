<script setup lang="ts">
import { computed } from 'vue';
import type { Kind } from '../api/client';
import { useBench } from '../bench/useBench';
import { stageNames } from '../bench/stages';
import AreaPanel from '../draw/AreaPanel.vue';
import LegendPanel from './LegendPanel.vue';
import DrawingsPanel from '../draw/DrawingsPanel.vue';

const bench = useBench();
const kinds = computed(() => bench.store.kinds.value.filter((kind) => kind.stage === bench.desk.stage.value).sort((a, b) => a.desk.place - b.desk.place));
const done = computed(() => bench.store.steps.value.filter((step) => step.kind.startsWith(`${bench.desk.stage.value}.`)));
const terms: Record<string, string> = {
    image: 'an image',
    classes: 'a class map',
    segments: 'segments',
    points: 'labelled check points',
    features: 'polygons',
    outlines: 'outlines',
    model: 'a model',
    tree: 'a merge tree',
};
const canBeDrawn = (type: string) => ['features', 'outlines'].includes(type);
/** What must be there first, and where it can be drawn, that it can. */
function lacks(kind: Kind): string {
    const missing = kind.inputs.filter(
        (port) =>
            port.required &&
            !['file', 'key'].includes(port.type) &&
            !bench.desk.candidatesFor(port.type).length &&
            !(canBeDrawn(port.type) && bench.drawing.drawings.value.some((one) => one.count)),
    );
    const named = (drawn: boolean) => [
        ...new Set(missing.filter((port) => canBeDrawn(port.type) === drawn).map((port) => port.called ?? terms[port.type] ?? port.type)),
    ];
    const [made, drawn] = [named(false), named(true)];
    return [made.length ? `Needs ${made.join(' and ')} first.` : '', drawn.length ? `Draw or choose ${drawn.join(' and ')} first.` : '']
        .filter(Boolean)
        .join(' ');
}
</script>

<template>
    <div class="space-y-4 p-4">
        <h2 class="text-lg font-semibold">{{ stageNames[bench.desk.stage.value] }}</h2>
        <template v-if="bench.desk.stage.value === 'gather'">
            <AreaPanel />
            <DrawingsPanel />
        </template>
        <ul class="space-y-3">
            <li v-for="kind in kinds" :key="kind.id" class="border-t border-line pt-2">
                <RouterLink v-if="kind.desk.page" class="group block" :to="`/studies/${bench.id}/${kind.desk.page}`" :data-page="kind.desk.page">
                    <span class="plain font-semibold group-hover:decoration-current">{{ kind.title }}</span>
                    <span class="mt-0.5 block text-ink-2">{{ kind.sentence }}</span>
                </RouterLink>
                <button v-else class="group w-full text-left" :data-kind="kind.id" @click="bench.desk.openKind(kind)">
                    <span class="plain font-semibold group-hover:decoration-current">{{ kind.title }}</span>
                    <span class="mt-0.5 block text-ink-2">{{ kind.sentence }}</span>
                </button>
                <p v-if="lacks(kind)" class="mt-0.5 text-sm text-ochre">{{ lacks(kind) }}</p>
            </li>
        </ul>
        <LegendPanel v-if="bench.desk.stage.value === 'classify' && bench.store.study.value?.legend.length" />
        <div v-if="done.length">
            <p class="mb-1 text-sm text-ink-2">on the trail</p>
            <button v-for="step in done" :key="step.id" class="block w-full py-0.5 text-left hover:text-verdigris" @click="bench.desk.openStep(step)">
                <span class="figures text-ink-2">{{ step.number }}</span> {{ step.title }}
            </button>
        </div>
    </div>
</template>
