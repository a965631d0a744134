<script setup lang="ts">
import { watchDebounced } from '@vueuse/core';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { useBench } from '../bench/useBench';
import LimitPlot, { type LimitRow } from '../plots/LimitPlot.vue';
import { number, percent, short, typedNumber } from '../plots/format';
import type { RasterItem } from '../api/client';
import { column } from '../views/segments/columns';
import { cut, segmentsAt, type Joins } from '../views/segments/joins';
import type { Form } from './useForm';

/** How far merging goes: tried on a piece of the view, whose tree joins and parts its segments as the limit is drawn along. */
const props = defineProps<{ form: Form; about: (name: string) => string | null }>();
const bench = useBench();
const { views } = bench;

const limit = computed(() => Number(props.form.valueOf('merge-limit')));
const figures = computed(
    () => props.form.trial.value?.figures as { limits?: LimitRow[]; proposals?: number[]; formShare?: number; pixels?: number } | undefined,
);
const rows = computed(() => figures.value?.limits ?? []);
const piece = computed(() => (props.form.trial.value?.items.find((item) => item.raster?.content === 'segments') as RasterItem | undefined) ?? null);
const joins = shallowRef<Joins | null>(null);
const segments = computed(() => (joins.value ? segmentsAt(joins.value, limit.value) : 0));

watch(
    () => props.form.trial.value,
    async (trial) => {
        joins.value = null;
        const tree = trial?.items.find((item) => item.type === 'tree');
        const [raster, mine] = [piece.value?.raster, piece.value];
        views.tried.value = raster
            ? [
                  [0, 0],
                  [raster.width, 0],
                  [raster.width, raster.height],
                  [0, raster.height],
              ].map(([col, row]) => {
                  const [x0, x1, x2, y0, y1, y2] = raster.transform as [number, number, number, number, number, number];
                  return [x0 + x1 * col! + x2 * row!, y0 + y1 * col! + y2 * row!];
              })
            : null;
        if (!tree || !mine) return;
        // one that was tried long ago may be gone by now
        const found = await Promise.all(['first', 'second', 'height'].map((name) => column(tree.id, name))).catch(() => null);
        if (!found || trial !== props.form.trial.value) return;
        const [first, second, height] = found;
        joins.value = { leaves: (trial!.figures.leaves as number) ?? 0, first: first!, second: second!, height: height! };
    },
    { immediate: true },
);
watch(
    [joins, limit],
    () => (bench.segments.joined.value = joins.value && piece.value ? { item: piece.value.id, numbers: cut(joins.value, limit.value) } : null),
    { immediate: true },
);
onBeforeUnmount(() => {
    bench.segments.joined.value = null;
    views.tried.value = null;
});

function set(value: number): void {
    const [low, high] = [rows.value[0]?.limit ?? 0, rows.value[rows.value.length - 1]?.limit ?? 0];
    if (value > 0) props.form.set('merge-limit', value, value >= low && value <= high);
}

/** From loose to compact, 0 to 1: form by its share, and within it compactness. */
const [MOST_FORM, LEAST_COMPACTNESS] = [60, 40];
const form = computed(() => Number(props.form.valueOf('form')));
const compactness = computed(() => Number(props.form.valueOf('compactness')));
function setForm(position: number): void {
    props.form.edit((draft) => {
        draft.settings.form = Math.round(MOST_FORM * position);
        draft.settings.compactness = Math.round(LEAST_COMPACTNESS + (100 - LEAST_COMPACTNESS) * position);
    });
}
const problems = computed(() => ['merge-limit', 'form', 'compactness'].map(props.about).filter(Boolean));

// what is chosen by looking is looked at from the start
const isReady = computed(() => !bench.desk.step.value && Object.keys(props.form.draft.value.inputs).some((name) => name.startsWith('images')));
/** All but the limit: of another choice the piece is cut anew, once one was. */
const choice = computed(() => {
    const { inputs, settings, within } = props.form.draft.value;
    return JSON.stringify([inputs, { ...settings, 'merge-limit': null }, within]);
});
const wasTried = ref(false);
watch(
    () => props.form.trial.value,
    (trial) => (wasTried.value ||= trial !== null),
);
watchDebounced(
    choice,
    () => {
        const isChosen = !bench.desk.step.value || props.form.changed.value;
        if (isChosen && wasTried.value && !props.form.trial.value && !props.form.trying.value) void props.form.attempt();
    },
    { debounce: 600 },
);
onMounted(() => isReady.value && !props.form.trial.value && !props.form.trying.value && void props.form.attempt());
</script>

<template>
    <section class="space-y-2 border-b border-line pb-3" data-limit-desk>
        <LimitPlot v-if="rows.length" :rows="rows" :proposals="figures?.proposals ?? []" :limit="limit" :segments="segments" @change="set" />
        <p v-if="rows.length && figures" class="text-sm text-ink-2">
            Of the framed {{ number(figures.pixels) }} pixels, limits from {{ short(rows[0]!.limit) }} to {{ short(rows[rows.length - 1]!.limit) }}; solid:
            variance within segments, dashed: similarity of neighbours.
            <template v-if="figures.proposals?.length"
                >Both are low at
                <template v-for="(one, i) in figures.proposals" :key="one"
                    >{{ i ? ' and ' : '' }}<button class="plain figures" :data-propose="i" @click="set(one)">{{ short(one) }}</button></template
                >, here.</template
            ><template v-else>No limit in between is clearly better.</template>
        </p>
        <p v-else class="text-sm text-ink-2">
            {{ props.form.trying.value ? 'Segmenting part of the view …' : 'Try it here (T) and move the limit: segments merge and split in the view.' }}
        </p>
        <label class="grid grid-cols-[6.2rem_1fr] items-center gap-x-2"
            ><span class="text-ink-2">merge limit</span
            ><input
                class="field figures"
                inputmode="decimal"
                :value="limit"
                data-setting="merge-limit"
                @change="set(typedNumber(($event.target as HTMLInputElement).value))"
        /></label>
        <label class="grid grid-cols-[auto_1fr_auto] items-center gap-x-2 text-ink-2"
            ><span>shapeless</span
            ><input
                type="range"
                min="0"
                max="1"
                step="0.05"
                aria-label="From shapeless to compact"
                :value="form / MOST_FORM"
                data-form-bar
                @change="setForm(Number(($event.target as HTMLInputElement).value))"
            /><span>compact</span></label
        >
        <details class="text-sm" :open="Boolean(about('form') || about('compactness'))">
            <summary class="text-ink-2">
                shape {{ form }} %, of which compactness {{ compactness }} %<template v-if="figures?.formShare !== undefined"
                    >; shape is {{ percent(figures.formShare) }} of the cost here</template
                >
            </summary>
            <p class="mt-1 grid grid-cols-[6.2rem_1fr] items-center gap-2">
                <template v-for="name in ['form', 'compactness']" :key="name"
                    ><label :for="`set-${name}`" class="text-ink-2">{{ name }}, %</label
                    ><input
                        :id="`set-${name}`"
                        class="field figures"
                        inputmode="decimal"
                        :value="props.form.valueOf(name)"
                        :data-setting="name"
                        @change="props.form.set(name, typedNumber(($event.target as HTMLInputElement).value, '%'))"
                /></template>
            </p>
        </details>
        <p v-for="text in problems" :key="text!" role="alert" class="text-sm text-madder">{{ text }}</p>
    </section>
</template>
