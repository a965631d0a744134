<script setup lang="ts">
import { computed } from 'vue';
import { useBench } from '../bench/useBench';
import HistogramPlot from '../plots/HistogramPlot.vue';
import { hectares, number, percent, roundTo, short, typedNumber } from '../plots/format';
import { binned } from './bins';
import { askedAt, change, cutOff, hangsOn, move, turn, without, type At } from './edit';
import ExamplesForm from './ExamplesForm.vue';
import LeadField from './LeadField.vue';
import { asked, margin, NO, spreadOf, type Couplet } from './sort';
import { useTicks } from './useTicks';

/** The question that was chosen in the river: what is asked, where its limit lies, and why. */
const props = defineProps<{ couplet: Couplet }>();
const bench = useBench();
const { key } = bench;
const { of: ticksOf } = useTicks(bench);
const BINS = 120;

const answers = computed(() => key.sorted.value?.answers.get(props.couplet.id) ?? null);
const values = computed(() => (props.couplet.measure === undefined ? null : key.column(props.couplet.measure)));
const failure = computed(() => (props.couplet.measure === undefined ? null : key.failure(props.couplet.measure)));
const found = computed(() => (answers.value && values.value && key.pixels.value ? binned(values.value, key.pixels.value, answers.value, BINS) : null));
const data = computed(() =>
    found.value ? { minimum: found.value.ends[0], maximum: found.value.ends[1], counts: found.value.counts.map(([yes, no]) => yes + no) } : null,
);
const ways = computed(() => key.flow.value?.ways.get(props.couplet.id) ?? null);
const reached = computed(() => {
    if (!ways.value) return null;
    const { yes, no, none } = ways.value;
    return { cases: yes.cases + no.cases + none.cases, pixels: yes.pixels + no.pixels + none.pixels };
});
const area = (pixels: number) => (key.pixelHectares.value === null ? `${number(pixels)} pixels` : hectares(pixels * key.pixelHectares.value));
const handles = computed(() => [props.couplet.least, props.couplet.below].filter((one): one is number => one !== undefined));
const which = (index: number): 'least' | 'below' => (props.couplet.least !== undefined && index === 0 ? 'least' : 'below');
const colours = computed(() => {
    const document = key.document.value;
    const of = (side: 'yes' | 'no') =>
        document?.classes.find((one) => one.name === props.couplet[side]?.class)?.colour ?? (side === 'yes' ? '#6b8f7b' : '#b7b0a2');
    return props.couplet.least === undefined ? [of('yes'), of('no')] : [of('no'), of('yes'), of('no')];
});
/** The pegs whose segments are asked here. */
const ticks = computed(() => (props.couplet.measure === undefined ? [] : ticksOf(props.couplet.measure, answers.value)));
const nearest = computed(() =>
    ticks.value
        .map((tick) => ({
            ...tick,
            by: margin(props.couplet, tick.value),
            isYes: tick.value >= (props.couplet.least ?? -Infinity) && tick.value < (props.couplet.below ?? Infinity),
        }))
        .sort((a, b) => a.by - b.by),
);
const standings = computed(() => key.told.value?.couplets.find((one) => one.id === props.couplet.id)?.standings.filter((one) => one.said.length) ?? []);
/** What the limit was chosen on, where that is not what is here. */
const ghost = computed(() => {
    const kept = props.couplet.histogram;
    const now = answers.value && values.value && key.pixels.value ? spreadOf(values.value, key.pixels.value, answers.value) : null;
    return kept && now && JSON.stringify(kept.counts) !== JSON.stringify(now.counts) ? kept : null;
});
const problem = computed(() => (key.problem.value?.about === `key/couplets/${props.couplet.id}` ? key.problem.value.text : null));
const edit = (what: string, part: Partial<Couplet>) => key.document.value && void key.change(what, change(key.document.value, props.couplet.id, part));

function setMeasure(text: string): void {
    const measure = text.trim();
    if (measure && measure !== props.couplet.measure) edit('a measure', { measure, histogram: undefined, unit: undefined });
}
function setLimit(name: 'least' | 'below', text: string): void {
    key.setLimit(props.couplet, name, text.trim() === '' ? null : typedNumber(text));
}
function addOther(): void {
    const { ends } = found.value ?? { ends: [0, 1] as [number, number] };
    const has = props.couplet.least !== undefined;
    const at = has ? (props.couplet.least! + ends[1]) / 2 : (ends[0] + props.couplet.below!) / 2;
    key.setLimit(props.couplet, has ? 'below' : 'least', roundTo(at, ends));
}
function byExamples(): void {
    const measures = key.bands.value.filter((one) => /(^|\.)(red|nir|swir1)$/.test(one)).slice(0, 12);
    edit('asking by examples', {
        measure: undefined,
        least: undefined,
        below: undefined,
        histogram: undefined,
        examples: { measures: measures.length ? measures : ['pixels'], method: 'nearest-neighbours', neighbours: 5, seed: 1, given: [] },
    });
}
function byMeasure(): void {
    edit('asking a measure', { examples: undefined, measure: key.proposals.value[0] ?? 'pixels', least: 0 });
}
/** Ends that the question could be asked at instead. */
const ends = computed(() => {
    const document = key.document.value;
    if (!document) return [];
    return asked(document).flatMap((one) =>
        (['yes', 'no'] as const)
            .filter((side) => one[side]?.couplet === undefined && !hangsOn(document, { couplet: one.id, side }, props.couplet.id))
            .map((side) => ({ at: { couplet: one.id, side } as At, name: `${side} of ${one.question || one.id}` })),
    );
});
function moveTo(index: string): void {
    const end = ends.value[Number(index)];
    if (index !== '' && end) void key.change('moving a question', move(key.document.value!, props.couplet.id, end.at));
}
function cut(): void {
    void key.change(`detaching “${props.couplet.question || props.couplet.id}”`, cutOff(key.document.value!, props.couplet.id));
}
const before = computed(() => (key.document.value ? askedAt(key.document.value, props.couplet.id) : null));
/** The limit of the tree at which what is asked here is cut. */
const treeCut = computed(() => {
    const at = before.value;
    if (!at) return key.document.value?.cut ?? null;
    return key.document.value?.couplets.find((one) => one.id === at.couplet)?.[at.side]?.cut ?? null;
});
function setCut(text: string): void {
    const document = key.document.value!;
    const value = text.trim() === '' ? undefined : typedNumber(text);
    if (value !== undefined && !(value > 0)) return;
    const at = before.value;
    if (!at) {
        const rest = without(document, 'cut');
        void key.change('changing the merge limit', value === undefined ? rest : { ...rest, cut: value });
        return;
    }
    const couplet = document.couplets.find((one) => one.id === at.couplet)!;
    const answer = { ...couplet[at.side], cut: value };
    void key.change('changing the merge limit', change(document, couplet.id, { [at.side]: JSON.parse(JSON.stringify(answer)) as Couplet['yes'] }));
}
const hasMembers = computed(() => answers.value?.some((one) => one >= NO) ?? false);
</script>

<template>
    <section class="space-y-2" :data-couplet="couplet.id">
        <input
            class="field text-base font-semibold"
            :value="couplet.question || couplet.id"
            aria-label="The question in words"
            data-question
            @change="edit('the words of a question', { question: ($event.target as HTMLInputElement).value })"
        />
        <p v-if="reached" class="text-sm text-ink-2" data-reached>
            Asked for <span class="figures">{{ number(reached.cases) }}</span> {{ key.source.value ? 'segments' : 'pixels' }}, {{ area(reached.pixels)
            }}<template v-if="ways"
                >; yes <span class="figures">{{ percent(reached.pixels ? ways.yes.pixels / reached.pixels : null) }}</span></template
            >.
        </p>
        <template v-if="couplet.measure !== undefined">
            <label class="block"
                ><span class="text-ink-2">measure</span
                ><input
                    class="field formula block"
                    list="key-measures"
                    :value="couplet.measure"
                    data-measure
                    @change="setMeasure(($event.target as HTMLInputElement).value)"
            /></label>
            <datalist id="key-measures"><option v-for="one in key.proposals.value" :key="one" :value="one" /></datalist>
            <p v-if="failure && !problem" role="alert" class="text-sm text-madder">{{ failure }}</p>
            <HistogramPlot
                v-if="data && hasMembers"
                :data="data"
                :handles="handles"
                :names="handles.map((_, i) => (which(i) === 'least' ? 'Yes from' : 'Yes below'))"
                :colours="colours"
                :ticks="ticks"
                :label="couplet.measure"
                :ghost="ghost"
                :from="ghost ? Math.min(ghost.minimum, data.minimum) : undefined"
                :to="ghost ? Math.max(ghost.maximum, data.maximum) : undefined"
                :height="136"
                data-limit-plot
                @change="(i, value) => key.setLimit(couplet, which(i), value)"
            />
            <p v-else-if="key.sorted.value && !failure" class="text-sm text-ink-2">
                {{ values ? 'Nothing with a value reaches this question.' : 'Measuring …' }}
            </p>
            <div class="grid grid-cols-[4.5rem_1fr_auto_1fr] items-center gap-x-2">
                <label class="text-ink-2" for="key-least">yes from</label
                ><input
                    id="key-least"
                    class="field figures"
                    inputmode="decimal"
                    :value="couplet.least"
                    placeholder="–"
                    data-least
                    @change="setLimit('least', ($event.target as HTMLInputElement).value)"
                /><label class="text-ink-2" for="key-below">below</label
                ><input
                    id="key-below"
                    class="field figures"
                    inputmode="decimal"
                    :value="couplet.below"
                    placeholder="–"
                    data-below-limit
                    @change="setLimit('below', ($event.target as HTMLInputElement).value)"
                />
            </div>
            <p class="text-sm text-ink-2">
                <template v-for="(one, i) in nearest.slice(0, 4)" :key="one.letter"
                    >{{ i ? ', ' : '' }}{{ one.letter }} <span class="figures">{{ short(one.by) }}</span> {{ one.isYes ? 'inside' : 'outside' }}</template
                ><template v-if="nearest.length">. </template>
                <button v-if="handles.length === 1" class="plain" @click="addOther">a range</button>
                <button v-else-if="handles.length === 2" class="plain" @click="key.setLimit(couplet, 'below', null)">one limit</button>
            </p>
        </template>
        <ExamplesForm v-else :couplet="couplet" />
        <p v-if="ghost" class="text-xs text-ink-2">Dashed: the histogram on which the limit was chosen, {{ percent(ghost.yes, 0) }} of them yes.</p>
        <p v-for="one in standings" :key="one.limit" class="border-l-2 border-ochre pl-2 text-sm text-ochre" data-standing>
            Here {{ one.said.join('; ') }}.
            <button
                v-if="one.proposed !== null"
                class="plain"
                data-take-proposed
                @click="key.setLimit(couplet, one.limit, Number(one.proposed!.toPrecision(4)))"
            >
                use {{ short(one.proposed) }} instead
            </button>
            <template v-else>No better limit is evident.</template>
        </p>
        <p v-if="problem" role="alert" class="text-sm text-madder" data-couplet-problem>{{ problem }}</p>
        <LeadField :couplet="couplet" side="yes" />
        <LeadField :couplet="couplet" side="no" />
        <label class="block text-sm text-ink-2"
            >why<textarea
                class="field mt-0.5"
                rows="2"
                :value="couplet.note ?? ''"
                placeholder="why this limit"
                data-why
                @change="edit('why a limit was chosen', { note: ($event.target as HTMLTextAreaElement).value || undefined })"
            />
        </label>
        <p class="flex flex-wrap gap-x-3 text-sm">
            <button class="plain" data-turn @click="key.change('turning a question around', turn(key.document.value!, couplet.id))">swap yes and no</button>
            <button class="plain" data-cut-off @click="cut">detach</button>
            <button v-if="couplet.measure !== undefined" class="plain" data-to-examples @click="byExamples">ask by examples</button>
            <button v-else class="plain" @click="byMeasure">ask a measure</button>
            <select
                v-if="before && ends.length"
                class="field w-auto!"
                aria-label="Move the question"
                value=""
                @change="moveTo(($event.target as HTMLSelectElement).value)"
            >
                <option value="">move to …</option>
                <option v-for="(end, i) in ends" :key="i" :value="i">{{ end.name }}</option>
            </select>
        </p>
        <label v-if="key.source.value" class="grid grid-cols-[1fr_5rem] items-center gap-x-2 text-sm"
            ><span class="text-ink-2">before it, change the merge limit to</span
            ><input
                class="field figures"
                inputmode="decimal"
                placeholder="–"
                :value="treeCut"
                data-tree-cut
                @change="setCut(($event.target as HTMLInputElement).value)"
        /></label>
    </section>
</template>
