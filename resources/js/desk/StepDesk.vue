<script setup lang="ts">
import { onKeyStroke } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { api, must, type Inputs, type Item, type RasterItem, type Setting } from '../api/client';
import HelpText from '../glossary/HelpText.vue';
import { useBench } from '../bench/useBench';
import { isTyping } from '../bench/keys';
import { stageNames } from '../bench/stages';
import { useAdjusted } from '../check/useAdjusted';
import CurvePlot from '../plots/CurvePlot.vue';
import { number } from '../plots/format';
import { stateOf, whyOf } from '../trail/stepText';
import { findItem, itemLabel, sameGrid } from '../views/look';
import FiguresPanel from './FiguresPanel.vue';
import RemoveStep from './RemoveStep.vue';
import BeforeAfter from './BeforeAfter.vue';
import BetweenDates from './BetweenDates.vue';
import { shownEvidence, type Given, type Shown } from './evidence';
import { otherDate } from './otherDate';
import InputField from './InputField.vue';
import ManyInput from './ManyInput.vue';
import { chain, outOfOrder } from './order';
import SettingField from './SettingField.vue';
import TableSheet from './TableSheet.vue';
import { useForm } from './useForm';

/** One step: what it does, its inputs, its settings and the evidence for them; made from the kind's declaration. */
const bench = useBench();
const form = useForm(bench);
const { draft, changed, problem, trial, trying } = form;
const kind = computed(() => bench.desk.kind.value!);
const step = bench.desk.step;

function itemAt(name: string): RasterItem | null {
    const input = draft.value.inputs[name];
    return bench.store.study.value && input?.step ? findItem(bench.store.study.value, { step: input.step, output: input.output ?? 'result' }, []) : null;
}
const item = computed(() => itemAt(kind.value.inputs[0]?.name ?? ''));
/** Order is minded, and left to the user. */
const order = computed(() => outOfOrder(kind.value, bench.store.kinds.value, item.value, chain(bench.store.steps.value, draft.value.inputs)));
/** A simpler way to the same end, on the same image. */
const instead = computed(() => kind.value.desk.instead);
function goSimpler(): void {
    const target = bench.store.kinds.value.find((one) => one.id === instead.value!.kind)!;
    bench.desk.drafts.value[`kind:${target.id}`] = {
        inputs: draft.value.inputs.image ? { image: draft.value.inputs.image } : {},
        settings: { ...instead.value!.settings },
        within: false,
    };
    bench.desk.openKind(target);
}
/** Two inputs on different grids, for kinds that need one. */
const apart = computed(() => {
    if (kind.value.desk.grids !== 'one' || !bench.store.study.value) return null;
    const chosen = Object.values(draft.value.inputs).flatMap((input) => {
        const source = input.step ? { step: input.step, output: input.output ?? 'result' } : null;
        const found = findItem(bench.store.study.value!, source, []);
        return found
            ? [
                  {
                      source: source!,
                      item: found,
                      label: itemLabel(
                          bench.store.steps.value.find((one) => one.id === source!.step),
                          source!.output,
                      ),
                  },
              ]
            : [];
    });
    const first = chosen[0];
    const other = chosen.find((one) => !sameGrid(one.item.raster.own, first!.item.raster.own));
    return first && other ? { first, other } : null;
});
function align(): void {
    const { first, other } = apart.value!;
    bench.desk.openKind(bench.store.kinds.value.find((one) => one.desk.grids === 'aligns')!);
    form.edit((copy) => {
        copy.inputs = { image: other.source, 'align-to': first.source };
        copy.settings = { resampling: other.item.raster.content === 'image' ? 'cubic' : 'nearest' };
    });
}
function chooseMany(port: string, list: Inputs[string][]): void {
    form.edit((copy) => {
        for (const name of Object.keys(copy.inputs)) if (name.startsWith(`${port}:`)) delete copy.inputs[name];
        list.forEach((input, i) => (copy.inputs[`${port}:${i + 1}`] = input));
    });
}
const matters = (setting: Setting) => {
    if (own.value.includes(setting.name)) return false;
    if (!setting.only) return true;
    const chosen = form.valueOf(setting.only.of);
    return setting.only.values.includes(typeof chosen === 'boolean' ? (chosen ? 'yes' : 'no') : String(chosen));
};
/** Bands that follow from their roles are out of the way until someone wants them otherwise. */
const isRole = (setting: Setting) => setting.type === 'band' && setting.default === setting.name;
const settings = computed(() => kind.value.settings.filter((setting) => matters(setting) && !isRole(setting)));
const roles = computed(() => kind.value.settings.filter(isRole));
const about = (name: string) => (problem.value?.about === name ? problem.value.text : step.value?.about === name && !changed.value ? step.value.problem : null);
const known = computed(() => new Set(['within', ...kind.value.settings.map((setting) => setting.name), ...kind.value.inputs.map((port) => port.name)]));
const loose = computed(() => {
    if (problem.value) return known.value.has(problem.value.about ?? '') ? null : problem.value.text;
    return step.value?.problem && !changed.value && !known.value.has(step.value.about ?? '') ? step.value.problem : null;
});
const busy = computed(() => step.value?.state === 'waiting' || step.value?.state === 'running');
/** Check points are there to be labelled: how they were drawn steps back. */
const folded = computed(() => kind.value.outputs.some((port) => port.type === 'points') && Boolean(step.value?.figures) && !changed.value);
const runText = computed(() => (!step.value ? 'Run' : changed.value ? 'Run with these settings' : confirming.value ? 'Draw again' : 'Run again'));
/** Areas of the maps that it made, with their intervals, where they were checked. */
const adjusted = useAdjusted(
    bench,
    computed(() => step.value ?? null),
);
const downloads = computed(() => step.value?.items.filter((one) => one.type !== 'points') ?? []);
/** The table that lies open whole. */
const table = ref<Item | null>(null);
watch(
    () => step.value?.id,
    () => (table.value = null),
);
const hasRows = (one: Item) => one.type === 'table' || one.type === 'measures';
const growing = computed(() => (step.value?.growing ?? []).filter((figure) => figure.type === 'curve'));
/** What a correction worked on and what it made of it, band by band. */
const beforeAfter = computed(() => {
    const made = step.value?.items.find((one) => one.output === 'result' && one.raster?.content === 'image');
    const name = kind.value.inputs.find((port) => port.type === 'image')?.name ?? '';
    const input = (step.value?.inputs as Inputs | undefined)?.[name];
    if (kind.value.stage !== 'correct' || !made?.raster || !input?.step || !bench.store.study.value) return null;
    const before = findItem(bench.store.study.value, { step: input.step, output: input.output ?? 'result' }, []);
    const dark = (step.value?.figures?.dark ?? []) as { band: string; dark: number | null }[];
    return before && { before, after: made as RasterItem, marks: Object.fromEntries(dark.map((one) => [one.band, one.dark])) };
});
const dates = computed(() =>
    beforeAfter.value && step.value && bench.store.study.value ? otherDate(bench.store.study.value, step.value, kind.value, beforeAfter.value) : null,
);
/** Evidence beyond fields and figures, as the kind asks for it. */
const evidence = computed<Shown[]>(() => {
    const given: Given = {
        bench,
        form,
        kind: kind.value,
        step: step.value ?? null,
        item: item.value,
        isShown: Boolean(step.value?.figures) && !busy.value && !trial.value,
        pair: beforeAfter.value,
        about,
    };
    return shownEvidence(given);
});
const at = (where: Shown['where'], beside: string | null = null) => evidence.value.filter((one) => one.where === where && one.beside === beside);
const own = computed(() => evidence.value.flatMap((one) => one.own));

function choose(port: string, input: Inputs[string] | null, of: string): void {
    const target = bench.store.kinds.value.find((one) => one.id === of);
    // a file that says it is something else opens the kind that takes it in
    if (target && target.id !== kind.value.id && !step.value) bench.desk.openKind(target);
    form.edit((copy) => {
        if (input) copy.inputs[port] = input;
        else delete copy.inputs[port];
    });
    if (input?.step) bench.views.show('a', { step: input.step, output: input.output ?? 'result' });
}

function showMade(): void {
    if (step.value?.items.length)
        bench.views.showStep(
            step.value.inputs as Inputs,
            step.value.items.filter((one) => one.raster).map((one) => ({ step: step.value!.id, output: one.output })),
        );
}

// when a run has ended, what it made comes into view
watch([() => step.value?.id, () => step.value?.items.map((one) => one.id).join()], ([id, items], [was, had]) => {
    if (id === was && items && items !== had) showMade();
    if (!bench.views.looks.a.value.source) bench.views.fill();
});
watch(
    () => bench.desk.open.value,
    () => {
        confirming.value = false;
        problem.value = null;
        trial.value = null;
    },
);

/** Labels are work: drawing anew keeps only those of places that are drawn again, and is asked for twice. */
const LEARNT = {
    overview: 'Statistics are from an overview of the whole image; a run uses full resolution.',
    whole: 'Training data are from the whole image, as in a run.',
    window: 'Statistics are from the visible window; a run uses the whole image.',
};
const confirming = ref(false);
function run(): void {
    if (step.value?.labelled && !confirming.value) {
        confirming.value = true;
        return;
    }
    confirming.value = false;
    const had = step.value;
    void form.run().then(() => {
        // a run may have ended before the step was known here
        if (!had) showMade();
    });
}

async function note(event: Event): Promise<void> {
    await bench.store.act(() =>
        must(api.PATCH('/steps/{step}', { params: { path: { step: step.value!.id } }, body: { note: (event.target as HTMLTextAreaElement).value || null } })),
    );
}

onKeyStroke('Enter', (event) => {
    if ((event.ctrlKey || event.metaKey) && !busy.value) run();
});
onKeyStroke('t', (event) => {
    if (!isTyping(event) && !event.ctrlKey && !event.metaKey && kind.value.triable && !trying.value) void form.attempt();
});
</script>

<template>
    <div class="flex min-h-full flex-col">
        <div class="flex-1 space-y-3 p-4">
            <p class="text-sm text-ink-2">
                <button class="plain" @click="bench.desk.openStage(kind.stage)">{{ stageNames[kind.stage] }}</button><span v-if="step">
                    · step <span class="figures">{{ step.number }}</span></span
                >
            </p>
            <h2 class="text-lg leading-tight font-semibold">{{ kind.title }}</h2>
            <p class="text-ink-2"><HelpText :text="kind.sentence" /></p>
            <p v-if="step && step.state !== 'done'" class="text-sm" :class="step.state === 'failed' ? 'text-madder' : 'text-ochre'" data-state>
                {{ [stateOf(step), whyOf(step)].filter(Boolean).join(': ') }}
            </p>

            <component :is="one.component" v-for="one in at('first')" :key="one.name" v-bind="one.props" />
            <component :is="folded ? 'details' : 'div'" class="space-y-3">
                <summary v-if="folded" class="text-ink-2">sampling design</summary>
                <template v-for="port in kind.inputs.filter((one) => !own.includes(one.name))" :key="`${kind.id}/${port.name}`">
                    <ManyInput v-if="port.many" :port="port" :inputs="draft.inputs" :problem="about(port.name)" @choose="chooseMany(port.name, $event)" />
                    <InputField
                        v-else
                        :port="port"
                        :kind="kind.id"
                        :input="draft.inputs[port.name]"
                        :problem="about(port.name)"
                        @choose="(input, of) => choose(port.name, input, of)"
                    />
                </template>
                <p v-if="order" class="text-sm text-ochre" data-out-of-order>{{ order }}</p>
                <p v-if="instead" class="text-sm text-ink-2">
                    Simpler: <button class="plain" data-instead @click="goSimpler">{{ instead.name }}</button>, {{ instead.why }}.
                </p>
                <p v-if="apart" class="text-sm text-ochre" data-apart>
                    {{ apart.other.label }} lies on another grid than {{ apart.first.label }}, and this step needs one.
                    <button class="plain" data-align @click="align">Resample it to that grid</button>
                </p>
                <label
                    v-if="bench.store.study.value?.area && kind.inputs.some((port) => ['image', 'classes', 'segments'].includes(port.type))"
                    class="flex items-center gap-2"
                    ><input type="checkbox" data-within :checked="draft.within" @change="form.edit((copy) => (copy.within = !copy.within))" />restrict to the
                    study's area</label
                >
                <p v-if="about('within')" role="alert" class="text-sm text-madder">{{ about('within') }}</p>
                <component :is="one.component" v-for="one in at('form')" :key="one.name" v-bind="one.props" />
                <template v-for="setting in settings" :key="setting.name">
                    <SettingField
                        :setting="setting"
                        :value="form.valueOf(setting.name)"
                        :item="setting.input ? itemAt(setting.input) : item"
                        :problem="about(setting.name)"
                        @set="form.set(setting.name, $event)"
                    />
                    <component :is="one.component" v-for="one in at('form', setting.name)" :key="one.name" v-bind="one.props" />
                </template>
                <details v-if="roles.length" :open="roles.some((role) => about(role.name))">
                    <summary class="text-ink-2">bands by hand</summary>
                    <div class="mt-2 space-y-2">
                        <SettingField
                            v-for="setting in roles"
                            :key="setting.name"
                            :setting="setting"
                            :value="form.valueOf(setting.name)"
                            :item="item"
                            :problem="about(setting.name)"
                            @set="form.set(setting.name, $event)"
                        />
                    </div>
                </details>
            </component>

            <section v-if="trial" class="space-y-2 border-t border-line pt-3" data-trial>
                <p class="text-sm">
                    <b>Trial of the visible window, not run.</b> View B shows {{ kind.desk.trialSide ? 'the framed piece' : 'the visible window'
                    }}{{ trial.reduced > 1 ? `, on pixels ${trial.reduced} times as large` : '' }}.
                    <span v-if="kind.learns !== 'nothing'" data-learnt>{{ LEARNT[kind.learns] }}</span>
                </p>
                <FiguresPanel :report="trial.report" />
            </section>
            <template v-else-if="step?.figures && !busy">
                <ul v-if="downloads.length" class="border-t border-line pt-3">
                    <li v-for="one in downloads" :key="one.id" class="flex items-baseline justify-between gap-3 py-1">
                        <a class="plain wrap-anywhere" :href="`/api/items/${one.id}/file`" download :data-download="one.output">{{ one.file }}</a>
                        <button v-if="hasRows(one) && !at('figures').length" class="plain text-sm" :data-rows="one.output" @click="table = one">rows</button>
                        <a
                            v-if="one.raster"
                            class="plain text-sm"
                            title="STAC Item: roles, units, date, legend, and how it was made"
                            :href="`/api/items/${one.id}/sidecar`"
                            download
                            :data-sidecar="one.output"
                            >sidecar</a
                        >
                    </li>
                </ul>
                <TableSheet
                    v-if="table"
                    :item="table"
                    :title="`${step.number} ${table.output === 'result' ? (step.called ?? step.title.toLowerCase()) : table.output}`"
                    @close="table = null"
                />
                <component :is="one.component" v-for="one in at('made')" :key="one.name" v-bind="one.props" />
                <BeforeAfter v-if="beforeAfter" :before="beforeAfter.before" :after="beforeAfter.after" :marks="beforeAfter.marks" />
                <BetweenDates v-if="beforeAfter && dates" :before="beforeAfter.before" :after="beforeAfter.after" :other="dates" />
                <component :is="one.component" v-for="one in at('figures')" :key="one.name" v-bind="one.props" />
                <div v-if="!at('figures').length" class="border-t border-line pt-3"><FiguresPanel :report="step.report" :adjusted="adjusted" /></div>
            </template>

            <label v-if="step" class="block text-sm text-ink-2"
                >note<textarea class="field mt-0.5 block text-ink" rows="2" :value="step.note ?? ''" placeholder="why this was done" @change="note" />
            </label>
            <details class="text-xs text-ink-2">
                <summary>provenance</summary>
                <p class="mt-1">{{ kind.source }}</p>
            </details>
            <RemoveStep v-if="step && !busy" :key="step.id" :step="step" />
        </div>
        <div class="sticky bottom-0 space-y-2 border-t border-line bg-paper p-4">
            <p v-if="loose" role="alert" class="text-sm text-madder" data-problem>{{ loose }}</p>
            <p v-if="confirming && step" role="alert" class="text-sm text-ochre">
                Drawing again keeps your {{ step.labelled }} labels only at places that are drawn again.
                <button class="plain" @click="confirming = false">Keep them all</button>
            </p>
            <template v-if="busy && step">
                <p class="flex items-baseline justify-between text-sm">
                    <span>{{ step.doing ?? 'waiting' }}</span><span class="figures"
                        >{{ Math.round(step.progress * 100) }} %{{ step.secondsLeft === null ? '' : ` · ${number(step.secondsLeft)} s left` }}</span
                    >
                </p>
                <div class="h-1 rounded-full bg-line" role="progressbar" :aria-valuenow="Math.round(step.progress * 100)" aria-label="Progress">
                    <div class="h-1 rounded-full bg-verdigris" :style="{ width: `${step.progress * 100}%` }" />
                </div>
                <CurvePlot v-for="curve in growing" :key="curve.label" :curve="curve" class="text-sm" />
                <button class="action w-full" data-stop @click="form.stop">Stop</button>
            </template>
            <div v-else class="flex gap-2">
                <button v-if="kind.triable" class="action" title="Compute it for the visible window only (T)" :disabled="trying" data-try @click="form.attempt">
                    {{ trying ? 'trying …' : 'Try here' }}
                </button>
                <button class="action-first flex-1" title="Ctrl+Enter" data-run @click="run">{{ runText }}</button>
                <button v-if="changed" class="action" title="Back to the settings it was run with" @click="form.putBack">Reset</button>
            </div>
        </div>
    </div>
</template>
