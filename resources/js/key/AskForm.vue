<script setup lang="ts">
import { watchDebounced } from '@vueuse/core';
import { computed, ref, shallowRef, watch } from 'vue';
import { api, must } from '../api/client';
import { useBench } from '../bench/useBench';
import { roundTo, short } from '../plots/format';
import { bestSplit, binned as counted } from '../views/segments/shade';
import { answerAt, ask } from './edit';
import { useTicks } from './useTicks';
import { UNASKED } from './sort';

/** A new question of what flows to an end: in words, by which measure, and what it is where the answer is yes. */
const bench = useBench();
const { key } = bench;
const at = computed(() => key.asking.value!.at);
const question = ref('');
const measure = ref('');
/** As it is being typed: it counts at a pause. */
const typed = ref('');
const yes = ref('');
const limit = ref<number | null>(null);
/** Whether yes lies below the limit. */
const isBelow = ref(false);
const byExamples = ref(false);
const problem = ref('');
const ranked = shallowRef<{ measure: string; area: number; limit: number | null }[]>([]);
const first = ref<string[]>([]);
const { places } = useTicks(bench);

/** What is asked: the cases that flow to this end. */
const members = computed<number[]>(() => {
    const count = key.all.value.cases;
    const where = at.value;
    if (where === null) return Array.from({ length: count }, (_, i) => i);
    const answers = key.sorted.value?.answers.get(where.couplet);
    const wanted = where.side === 'yes' ? 1 : 0;
    return answers ? [...answers.keys()].filter((i) => answers[i] === wanted) : [];
});
const isMember = computed(() => new Set(members.value));
const pegs = computed(() => places.value.filter(({ place }) => isMember.value.has(place)));
const chosen = computed(() => {
    const numbers = key.numbers.value;
    const now = bench.segments.chosen.value;
    return now && numbers && now.item === key.item.value?.id ? [...now.numbers] : [];
});
/** Two groups to be told apart: pegs taken for yes against the others, or what is chosen against all else. */
const groups = computed(() => {
    const numbers = key.numbers.value;
    if (!numbers) return null;
    const one = pegs.value.filter(({ letter }) => first.value.includes(letter)).map(({ place }) => numbers[place]!);
    const other = pegs.value.filter(({ letter }) => !first.value.includes(letter)).map(({ place }) => numbers[place]!);
    if (one.length && other.length) return { one, other };
    if (!chosen.value.length) return null;
    const wanted = new Set(chosen.value);
    const rest = members.value.map((place) => numbers[place]!).filter((number) => !wanted.has(number));
    // as many as say enough
    const step = Math.max(1, Math.ceil(rest.length / 4000));
    return rest.length ? { one: chosen.value.slice(0, 5000), other: rest.filter((_, i) => i % step === 0) } : null;
});
let round = 0;
watch(
    groups,
    async (now) => {
        const mine = ++round;
        ranked.value = [];
        if (!now || !key.ground.value || !key.source.value) return;
        const found = await must(
            api.POST('/studies/{study}/keys/apart', { params: { path: { study: bench.id } }, body: { ...key.ground.value, ...now } }),
        ).catch((error: unknown) => ((problem.value = (error as Error).message), []));
        if (mine === round) ranked.value = found;
    },
    { immediate: true },
);
function chooseMeasure(text: string): void {
    if (text.trim() === measure.value) return;
    measure.value = text.trim();
    limit.value = null;
    isBelow.value = false;
}
watchDebounced(typed, chooseMeasure, { debounce: 400 });
function take(one: { measure: string; area: number; limit: number | null }): void {
    typed.value = measure.value = one.measure;
    limit.value = one.limit;
    isBelow.value = one.area < 0.5;
}
const values = computed(() => (measure.value ? key.column(measure.value) : null));
const failure = computed(() => (measure.value ? key.failure(measure.value) : null));
/** Where nobody told a limit: the best split of what is asked. */
const split = computed(() => {
    if (!values.value) return null;
    const some = Float64Array.from(members.value, (place) => values.value![place]!).filter((value) => Number.isFinite(value));
    if (!some.length) return null;
    const ends: [number, number] = [some.reduce((a, b) => Math.min(a, b)), some.reduce((a, b) => Math.max(a, b))];
    if (ends[0] === ends[1]) return ends[0];
    const found = bestSplit(counted(some, null, ends, 256), ends);
    return found === null ? ends[0] : roundTo(found, ends);
});
const isEmpty = computed(
    () => at.value !== null && members.value.length === 0 && key.sorted.value?.answers.get(at.value.couplet)?.some((one) => one !== UNASKED),
);
const isReady = computed(() => yes.value.trim() !== '' && (byExamples.value ? defaults.value.length > 0 : split.value !== null));
function add(): void {
    const document = key.document.value;
    if (!document || !isReady.value) return;
    const text = question.value.trim() || `is it ${yes.value.trim()}?`;
    const what = byExamples.value
        ? { question: text, examples: { measures: defaults.value, method: 'nearest-neighbours' as const, neighbours: 5, seed: 1, given: [] } }
        : { question: text, measure: measure.value, [isBelow.value ? 'below' : 'least']: limit.value ?? split.value! };
    const next = ask(document, at.value, what, yes.value.trim());
    key.selected.value = answerAt(next, at.value)?.couplet ?? null;
    key.asking.value = null;
    void key.change(`the question “${text}”`, next);
}
/** Bands of the images, for examples to learn from. */
const defaults = computed(() => {
    const best = bands.value.filter((name) => /(^|\.)(red|nir|swir1)$/.test(name));
    return (best.length > 0 ? best : bands.value).slice(0, 12);
});
const bands = computed(() => key.bands.value);
const name = computed(() => {
    const answer = key.document.value ? answerAt(key.document.value, at.value) : null;
    return answer?.class ?? (at.value === null ? 'all' : (key.document.value?.rest ?? 'unlabelled'));
});
</script>

<template>
    <section class="space-y-2" data-ask-form>
        <p class="flex items-baseline justify-between">
            <b>New question on {{ name }}</b
            ><button class="plain text-sm" @click="key.asking.value = null">leave</button>
        </p>
        <p v-if="isEmpty" role="alert" class="text-sm text-ochre">No segments reach this point, so there is nothing to ask.</p>
        <label class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2"
            ><span class="text-ink-2">question</span><input v-model="question" class="field" placeholder="is it green?" data-question
        /></label>
        <label class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2"
            ><span class="text-ink-2">yes, it is</span><input v-model="yes" class="field" list="key-classes" placeholder="a class" data-yes
        /></label>
        <datalist id="key-classes"><option v-for="one in key.document.value?.classes ?? []" :key="one.value" :value="one.name" /></datalist>
        <p class="flex gap-4 text-sm">
            <label class="flex items-center gap-1"><input v-model="byExamples" type="radio" :value="false" name="ask-by" />by a measure</label>
            <label class="flex items-center gap-1"><input v-model="byExamples" type="radio" :value="true" name="ask-by" data-by-examples />by examples</label>
        </p>
        <template v-if="!byExamples">
            <label class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2"
                ><span class="text-ink-2">measure</span
                ><input
                    v-model="typed"
                    class="field formula"
                    list="key-measures"
                    placeholder="a measure or a formula"
                    data-new-measure
                    @change="chooseMeasure(typed)"
            /></label>
            <datalist id="key-measures"><option v-for="one in key.proposals.value" :key="one" :value="one" /></datalist>
            <p v-if="failure" role="alert" class="text-sm text-madder">{{ failure }}</p>
            <p v-else-if="split !== null" class="text-sm text-ink-2">
                Yes {{ isBelow ? 'below' : 'from' }} <span class="figures">{{ short(limit ?? split) }}</span>,
                {{ limit === null ? 'the best split' : 'the best split of the two groups' }}; you can move it afterwards.
            </p>
            <template v-if="key.source.value">
                <p v-if="pegs.length > 1" class="text-sm">
                    Which measure separates pegs? Yes at
                    <label v-for="one in pegs" :key="one.letter" class="mr-2 inline-flex items-center gap-0.5"
                        ><input v-model="first" type="checkbox" :value="one.letter" :data-peg-yes="one.letter" />{{ one.letter }}</label
                    >
                </p>
                <p v-else class="text-sm text-ink-2">With pegs on it or segments chosen in a view, measures are ranked by how well they separate them.</p>
                <table v-if="ranked.length" class="w-full text-sm" data-ranked>
                    <caption class="sr-only">
                        Measures by how well they separate the two groups
                    </caption>
                    <thead>
                        <tr class="text-left text-ink-2">
                            <th class="font-normal">separates</th>
                            <th class="text-right font-normal" title="Area under the ROC curve: how often a value of one group exceeds one of the other">
                                area
                            </th>
                            <th class="text-right font-normal">yes</th>
                        </tr>
                    </thead>
                    <tbody>
                        <tr v-for="one in ranked.slice(0, 8)" :key="one.measure">
                            <td>
                                <button class="plain formula text-left" :data-take="one.measure" @click="take(one)">{{ one.measure }}</button>
                            </td>
                            <td class="figures text-right">{{ Math.max(one.area, 1 - one.area).toFixed(2) }}</td>
                            <td class="figures text-right">{{ one.limit === null ? '–' : `${one.area < 0.5 ? '<' : '≥'} ${short(one.limit)}` }}</td>
                        </tr>
                    </tbody>
                </table>
            </template>
        </template>
        <p v-else class="text-sm text-ink-2">
            {{ defaults.length > 0 ? `Next, give examples in the views; measures used: ${defaults.join(', ')}.` : 'First choose the images below.' }}
        </p>
        <p v-if="problem" role="alert" class="text-sm text-madder">{{ problem }}</p>
        <button class="action-first w-full" :disabled="!isReady" data-add-question @click="add">Add the question</button>
    </section>
</template>
