<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { api, must, type Histogram, type ProposedLimits, type RasterItem } from '../api/client';
import { queries } from '../api/queries';
import { useBench } from '../bench/useBench';
import HistogramPlot from '../plots/HistogramPlot.vue';
import { number, percent, pegColour, roundTo, typedNumber } from '../plots/format';
import { valuesAt } from '../readings/useReadings';
import { findItem, histogram, lookFor, percentiles } from '../views/look';
import type { Form } from '../desk/useForm';
import { chiSquareAbove, chiSquareLimit } from './chiSquare';
import { shareBelow, spreadOf, toLimit, toValue, usualLimits, type Counted } from './tails';

/** From where on change counts: limits on the histogram of what was tried or made, with the pegs' ticks, seen in view B at once. */
const props = defineProps<{ form: Form; about: (name: string) => string | null }>();
const bench = useBench();
const kind = computed(() => bench.desk.kind.value!);
const has = (name: string) => kind.value.settings.some((setting) => setting.name === name);
/** Chosen as a probability, and seen on the root of the chi-square that it follows from, which reaches less far. */
const isProbability = computed(() => has('at-most'));
const both = computed(() => has('below'));
const counted = computed(() => (isProbability.value ? 'values' : (String(props.form.valueOf('limits') ?? 'none') as Counted | 'none')));
const isRobust = computed(() => props.form.valueOf('spread') === 'robust');
const meanings = computed(() => Object.entries(kind.value.settings.find((setting) => setting.name === 'limits')?.meanings ?? {}));

/** Bins of a histogram that reaches far beyond what is chosen. */
const FINE = 16384;

const output = computed(() => kind.value.outputs[0]!.name);
const tried = computed(() => props.form.trial.value?.items.find((item) => item.output === output.value && item.raster) as RasterItem | undefined);
const made = computed(() => {
    const step = bench.desk.step.value;
    return step ? findItem(bench.store.study.value!, { step: step.id, output: output.value }, []) : null;
});
/** Only limits differ from the run: what was made still holds. */
const isOnlyLimits = computed(() => {
    const step = bench.desk.step.value;
    if (!step || !made.value) return false;
    const limits = ['limits', 'below', 'above', 'band', 'at-most', ...(props.form.valueOf('scores') === true ? [] : ['spread'])];
    const rest = (settings: Record<string, unknown>) =>
        JSON.stringify(
            Object.entries(settings)
                .filter(([name]) => !limits.includes(name))
                .sort(),
        );
    const draft = props.form.draft.value;
    return (
        JSON.stringify(draft.inputs) === JSON.stringify(step.inputs) &&
        draft.within === step.within &&
        rest(draft.settings) === rest(step.settings as Record<string, unknown>)
    );
});
const shown = computed(() => tried.value ?? (isOnlyLimits.value ? made.value : null));

const bands = computed(() => shown.value?.raster.bands ?? []);
const nir = computed(() => bands.value.find((one) => one.role === 'nir')?.number);
const band = computed(() => {
    if (isProbability.value) return 3;
    if (!has('band')) return 1;
    const named = props.form.valueOf('band');
    // vegetation says most, where it is seen
    if (named === null || named === undefined) return counted.value === 'none' ? (nir.value ?? 1) : 1;
    const input = props.form.draft.value.inputs.before;
    const before = input?.step ? findItem(bench.store.study.value!, { step: input.step, output: input.output ?? 'result' }, []) : null;
    const of = before?.raster.bands.find((one) => one.role === named || String(one.number) === String(named));
    return bands.value.find((one) => (of?.role ? one.role === of.role : one.label === of?.label))?.number ?? 1;
});
const label = computed(() => bands.value.find((one) => one.number === band.value)?.label ?? 'change');

const data = ref<Histogram | null>(null);
const pegs = ref<{ letter: string; value: number; colour: string }[]>([]);
watch(
    [() => shown.value?.id, band],
    async () => {
        data.value = null;
        const [item, of] = [shown.value, band.value];
        const found = item && (await histogram(item, of, isProbability.value ? FINE : undefined).catch(() => null));
        if (item === shown.value && of === band.value) data.value = found ?? null;
    },
    { immediate: true },
);
watch(
    [() => shown.value?.id, band, () => bench.store.study.value?.pegs],
    async () => {
        const [item, of] = [shown.value, band.value];
        const places = bench.store.study.value?.pegs ?? [];
        const values = item ? await valuesAt(item, places) : null;
        if (item !== shown.value || of !== band.value) return;
        pegs.value = places.flatMap((peg) => {
            const value = values?.get(peg.id)?.[of - 1];
            return value === null || value === undefined ? [] : [{ letter: peg.letter, value, colour: pegColour(peg.letter) }];
        });
    },
    { immediate: true },
);

/** Limits that the histogram suggests; they are shown, and taken by a click only. */
const proposals = shallowRef<ProposedLimits[]>([]);
watch(
    [() => shown.value?.id, band, both],
    async () => {
        const [item, of] = [shown.value, band.value];
        const sides = both.value ? 'both' : 'above';
        const found =
            item &&
            (await queries
                .fetchQuery({
                    queryKey: ['limits', item.id, of, sides],
                    queryFn: () => must(api.GET('/items/{item}/limits', { params: { path: { item: item.id }, query: { band: of, sides } } })),
                })
                .catch(() => null));
        if (item === shown.value && of === band.value) proposals.value = found ?? [];
    },
    { immediate: true },
);
const sources = { mixture: 'Bruzzone & Prieto 2000', 'minimum-error': 'Kittler & Illingworth 1986' };
const proposalName = (one: ProposedLimits) => (one.by === 'mixture' ? 'Gaussian mixture' : 'minimum error');
const limitText = (one: ProposedLimits) => [one.below === null ? '' : `below ${number(one.below)}`, `above ${number(one.above)}`].filter(Boolean).join(', ');
const restsOn = (one: ProposedLimits) => {
    const classes = one.classes.map((each) => `${percent(each.share)} with mean ${number(each.mean)}, standard deviation ${number(each.deviation)}`);
    const of = one.centre === null ? '' : `distance from the median ${number(one.centre)}`;
    return [of, classes.join(' and ')].filter(Boolean).join(': ');
};
function accept(one: ProposedLimits): void {
    if (isProbability.value) {
        move(0, one.above);
        return;
    }
    const by = counted.value === 'none' || !ground.value ? 'values' : counted.value;
    props.form.edit((draft) => {
        draft.settings.limits = by;
        if (counted.value === 'none' && has('band') && nir.value) draft.settings.band ??= 'nir';
        for (const name of both.value ? (['below', 'above'] as const) : (['above'] as const)) {
            const value = one[name];
            if (value === null) delete draft.settings[name];
            else draft.settings[name] = by === 'values' ? Number(value.toPrecision(4)) : Number(toLimit(ground.value!, by, value).toFixed(2));
        }
    }, true);
}

const figures = computed(() => (props.form.trial.value?.figures ?? bench.desk.step.value?.figures ?? {}) as Record<string, unknown>);
const ground = computed(() => {
    if (!data.value) return null;
    // on scores a deviation is one
    if (props.form.valueOf('scores') === true) return { data: data.value, middle: 0, deviation: 1 };
    const rows = (figures.value.spread ?? []) as { band: string; middle: number; deviation: number }[];
    const told = rows.find((row) => row.band === label.value);
    const one = typeof figures.value.deviation === 'number' ? { middle: Number(figures.value.middle), deviation: figures.value.deviation } : null;
    return { data: data.value, ...(told ?? one ?? spreadOf(data.value, isRobust.value)) };
});
const freedom = computed(() => Math.max(1, Object.keys(((figures.value.correlations ?? []) as Record<string, number>[])[0] ?? {}).length - 1));
const told = (name: string): number | null => {
    const value = props.form.valueOf(name);
    return value === null || value === undefined || value === '' ? null : Number(value);
};
/** Limits as values, the lower one first. */
const handles = computed(() => {
    if (!ground.value || counted.value === 'none') return [];
    if (isProbability.value) return [{ name: 'at-most', value: Math.sqrt(chiSquareLimit(Number(told('at-most') ?? 1) / 100, freedom.value)) }];
    return (['below', 'above'] as const).flatMap((name) => {
        const limit = told(name);
        return limit === null || (name === 'below' && !both.value) ? [] : [{ name, value: toValue(ground.value!, counted.value as Counted, limit) }];
    });
});
const [LESS, MORE] = ['#7a3b69', '#2f7a4d'];
const colours = computed(() => {
    const dim = 'transparent';
    if (handles.value.length === 2) return [LESS, dim, MORE];
    return handles.value[0]?.name === 'below' ? [LESS, dim] : [dim, both.value ? MORE : '#8a3b5e'];
});
const plotColours = computed(() => colours.value.map((colour) => (colour === 'transparent' ? 'var(--line)' : colour)));
/** Long tails would leave no room for what limits lie between; limits and pegs are always seen. */
const reach = computed<[number, number]>(() => {
    if (!data.value) return [0, 1];
    const [low, high] = percentiles(data.value, isProbability.value ? [0, 60] : [0.1, 99.9]);
    const limits = handles.value.map((one) => one.value);
    // change reaches far: what lies about the limit is looked at
    if (isProbability.value) return [0, Math.min(data.value.maximum, Math.max(high, 3 * (limits[0] ?? 0)))];
    const all = [low, high, ...limits, ...pegs.value.map((peg) => peg.value)];
    const [from, to] = [Math.max(data.value.minimum, Math.min(...all)), Math.min(Math.max(data.value.maximum, high), Math.max(...all))];
    return [from - 0.02 * (to - from), to + 0.02 * (to - from)];
});
const shares = computed(() =>
    handles.value.map((one) => ({ ...one, share: one.name === 'below' ? shareBelow(data.value!, one.value) : 1 - shareBelow(data.value!, one.value) })),
);

function move(index: number, value: number): void {
    const one = handles.value[index]!;
    if (isProbability.value) {
        props.form.set('at-most', Number((100 * chiSquareAbove(value ** 2, freedom.value)).toPrecision(3)), true);
        return;
    }
    const limit = toLimit(ground.value!, counted.value as Counted, value);
    const rounded = counted.value === 'values' ? roundTo(limit, reach.value) : Number(limit.toFixed(2));
    props.form.set(one.name, rounded, true);
}
function type(name: string, text: string): void {
    const value = typedNumber(text, isProbability.value || counted.value === 'percentiles' ? '%' : undefined);
    props.form.set(name, Number.isNaN(value) ? null : value, true);
}
/** Limits as values need something to stand on first. */
const wantsValues = ref(false);
function count(by: string): void {
    wantsValues.value = by === 'values' && !ground.value;
    if (wantsValues.value) {
        if (!props.form.trying.value) void props.form.attempt();
        return;
    }
    props.form.edit((draft) => {
        draft.settings.limits = by;
        for (const name of ['below', 'above']) delete draft.settings[name];
        if (has('band') && by !== 'none' && nir.value) draft.settings.band ??= 'nir';
        if (by === 'none') return;
        const usual = usualLimits(ground.value, by as Counted, isRobust.value, both.value);
        for (const [name, value] of Object.entries(usual)) draft.settings[name] = by === 'values' ? roundTo(value, reach.value) : value;
    }, true);
}
watch(ground, (now) => now && wantsValues.value && count('values'));

watch(
    [shown, handles, colours, band],
    () => {
        const item = shown.value;
        const isSeen = item && handles.value.length > 0 && bench.views.looks.b.value.source !== null;
        // in grey, so that what lies beyond stands out
        const { source, single, band: seen } = bench.views.looks.b.value;
        const isMine = source?.output === output.value && (source.step === -1 || source.step === bench.desk.step.value?.id);
        if (isSeen && isMine && (!single || seen !== band.value)) bench.views.looks.b.value = { ...lookFor(item, source), single: true, band: band.value };
        bench.views.live.value = isSeen
            ? { item, opacity: 0.8, style: { kind: 'sides', band: band.value, limits: handles.value.map((one) => one.value), colours: colours.value } }
            : null;
    },
    { immediate: true },
);
onBeforeUnmount(() => (bench.views.live.value = null));
const unit = computed(() => ({ values: '', deviations: 'deviations', percentiles: '%', none: '' })[counted.value]);
const words = computed(() => ({ below: 'decrease below', above: both.value ? 'increase above' : 'change above', 'at-most': 'change at most, %' }));
const evidence = computed(() => {
    if (!pegs.value.length || !handles.value.length) return '';
    const beyond = pegs.value.filter((peg) => handles.value.some((one) => (one.name === 'below' ? peg.value < one.value : peg.value > one.value)));
    const letters = (list: { letter: string }[]) => list.map((peg) => peg.letter).join(', ');
    const within = pegs.value.filter((peg) => !beyond.includes(peg));
    return [beyond.length ? `Beyond the limits: peg ${letters(beyond)}` : 'No peg is beyond the limits', within.length ? `within: ${letters(within)}` : '']
        .filter(Boolean)
        .join('; ');
});
</script>

<template>
    <section class="space-y-2" data-tails>
        <div v-if="!isProbability" class="grid grid-cols-[6.2rem_1fr] items-center gap-x-2">
            <label for="set-limits" class="text-ink-2">limits in</label>
            <select id="set-limits" class="field" :value="counted" data-setting="limits" @change="count(($event.target as HTMLSelectElement).value)">
                <option v-for="[name] in meanings" :key="name" :value="name">{{ name }}</option>
            </select>
            <p class="col-span-2 text-xs text-ink-2">{{ meanings.find(([name]) => name === counted)?.[1] }}</p>
        </div>
        <div v-if="has('band') && counted !== 'none' && bands.length > 1" class="grid grid-cols-[6.2rem_1fr] items-center gap-x-2">
            <label for="set-band" class="text-ink-2">of band</label>
            <select
                id="set-band"
                class="field"
                :value="band"
                @change="
                    form.set(
                        'band',
                        bands.find((one) => one.number === Number(($event.target as HTMLSelectElement).value))?.role ??
                            ($event.target as HTMLSelectElement).value,
                        true,
                    )
                "
            >
                <option v-for="one in bands" :key="one.number" :value="one.number">{{ one.label }}</option>
            </select>
        </div>
        <HistogramPlot
            v-if="data && counted !== 'none'"
            :data="data"
            :handles="handles.map((one) => one.value)"
            :names="handles.map((one) => words[one.name as keyof typeof words])"
            :colours="plotColours"
            :ticks="pegs"
            :label="isProbability ? 'distance from no change' : label"
            :from="reach[0]"
            :to="reach[1]"
            :height="172"
            @change="move"
        />
        <p v-else-if="counted !== 'none'" class="text-sm text-ink-2">
            {{ form.trying.value ? 'Comparing the visible window …' : 'Try it here (T) to get the histogram for choosing limits.' }}
        </p>
        <template v-if="counted !== 'none'">
            <div
                v-for="name in isProbability ? ['at-most'] : both ? ['below', 'above'] : ['above']"
                :key="name"
                class="grid grid-cols-[6.2rem_1fr_auto] items-center gap-x-2"
            >
                <label :for="`set-${name}`" class="text-ink-2">{{ words[name as keyof typeof words] }}</label>
                <input
                    :id="`set-${name}`"
                    class="field figures"
                    inputmode="decimal"
                    :placeholder="name === 'at-most' ? '' : 'none'"
                    :value="told(name) ?? ''"
                    :data-setting="name"
                    @change="type(name, ($event.target as HTMLInputElement).value)"
                />
                <span class="figures text-right text-sm whitespace-nowrap" :data-share="name">{{
                    shares.find((one) => one.name === name) ? percent(shares.find((one) => one.name === name)!.share) : ''
                }}</span>
            </div>
            <p v-if="ground && !isProbability" class="text-sm text-ink-2">
                <template v-if="unit === 'deviations'">Standard deviation {{ number(ground.deviation) }}, centre {{ number(ground.middle) }}. </template
                >{{ evidence }}
            </p>
            <p v-else-if="evidence" class="text-sm text-ink-2">{{ evidence }}</p>
        </template>
        <div v-if="proposals.length" class="space-y-1 border-t border-line pt-2 text-sm" data-proposals>
            <p class="text-ink-2">Proposed from the histogram</p>
            <div v-for="one in proposals" :key="one.by" class="grid grid-cols-[1fr_auto] gap-x-2">
                <span
                    >{{ proposalName(one) }}: <span class="figures">{{ limitText(one) }}</span> ({{ percent(one.share) }} changed)</span
                >
                <button
                    class="plain self-start"
                    :title="sources[one.by]"
                    :aria-label="`Use these limits: ${proposalName(one)}`"
                    :data-use="one.by"
                    @click="accept(one)"
                >
                    use
                </button>
                <span class="col-span-2 text-xs text-ink-2">{{ [restsOn(one), sources[one.by]].filter(Boolean).join('. ') }}</span>
            </div>
        </div>
        <p v-for="name in ['limits', 'below', 'above', 'band', 'at-most'].filter((one) => about(one))" :key="name" role="alert" class="text-sm text-madder">
            {{ about(name) }}
        </p>
    </section>
</template>
