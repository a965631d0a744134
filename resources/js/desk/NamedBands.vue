<script setup lang="ts">
import { computed } from 'vue';
import { useBench } from '../bench/useBench';
import { percent } from '../plots/format';
import { bandNames } from './formula';
import { listOf } from './listOf';
import type { Form } from './useForm';
import { useNamedImages } from './useNamedImages';

/** Images with their short names and, where the kind goes by some of their bands, which these are and how much each counts. */
const props = defineProps<{ form: Form; about: (name: string) => string | null }>();
const bench = useBench();
const { images, rename } = useNamedImages(bench, props.form);
const hasWeights = computed(() => bench.desk.kind.value!.settings.some((one) => one.name === 'weights'));
const hasBands = computed(() => bench.desk.kind.value!.settings.some((one) => one.name === 'bands'));

const dark = /^(thermal|quality)/;
/** Of one image bands stand bare, of several behind its name; those by which it goes when none are told are light. */
const groups = computed(() =>
    images.value.map((image) => ({
        image,
        bands: (image.item?.raster.bands ?? []).map((band, i) => {
            const bare = bandNames([image])[i]!;
            return { name: images.value.length > 1 ? `${image.name}.${bare}` : bare, short: bare, isLight: !dark.test(band.role ?? '') };
        }),
    })),
);
const all = computed(() => groups.value.flatMap((group) => group.bands));
const told = computed(() => listOf(props.form.valueOf('bands')));
const chosen = computed(() => (told.value.length ? told.value : all.value.filter((one) => one.isLight || !hasWeights.value).map((one) => one.name)));
const weights = computed(() => listOf(props.form.valueOf('weights')).map(Number));
const shareOf = (name: string) => {
    const at = chosen.value.indexOf(name);
    if (at < 0) return null;
    if (!hasWeights.value) return null;
    const sum = weights.value.reduce((total, one) => total + one, 0);
    return weights.value.length === chosen.value.length && sum > 0 ? weights.value[at]! / sum : weights.value.length ? null : 1 / chosen.value.length;
};

/** A band more or less keeps the weights of the others. */
function toggle(name: string): void {
    const next = all.value.map((one) => one.name).filter((one) => chosen.value.includes(one) !== (one === name));
    const had = new Map(chosen.value.map((one, i) => [one, weights.value[i] ?? 1]));
    props.form.edit((draft) => {
        if (next.length) draft.settings.bands = next;
        else delete draft.settings.bands;
        if (weights.value.length) draft.settings.weights = next.map((one) => had.get(one) ?? 1);
    });
}
function weigh(event: Event): void {
    props.form.set('weights', listOf((event.target as HTMLInputElement).value));
}
/** The names that bands are called by go with their image. */
function call(index: number, name: string): void {
    const [before, after] = [`${images.value[index]!.name}.`, `${name.trim()}.`];
    const bands = told.value.map((one) => (one.startsWith(before) ? after + one.slice(before.length) : one));
    rename(index, name);
    if (told.value.length) props.form.set('bands', bands);
}
const problems = computed(() => ['names', 'bands', 'weights'].map(props.about).filter(Boolean));
</script>

<template>
    <div
        v-if="images.length > 1 || (hasBands && all.length)"
        class="space-y-2"
        :class="problems.length ? 'border-l-2 border-madder pl-2' : ''"
        data-named-bands
    >
        <div v-for="({ image, bands }, i) in groups" :key="i" class="text-sm">
            <label v-if="images.length > 1" class="grid grid-cols-[5rem_1fr] items-baseline gap-x-2">
                <input
                    class="field"
                    :value="image.name"
                    :aria-label="`Short name of ${image.label}`"
                    spellcheck="false"
                    :data-name="i"
                    @change="call(i, ($event.target as HTMLInputElement).value)"
                />
                <span class="truncate text-ink-2">{{ image.label }}</span>
            </label>
            <p v-if="hasBands" class="mt-1 flex flex-wrap gap-x-1.5 gap-y-1" role="group" :aria-label="`Bands of ${image.label}`">
                <button
                    v-for="band in bands"
                    :key="band.name"
                    class="rounded-sm border px-1.5"
                    :class="chosen.includes(band.name) ? 'border-verdigris text-verdigris' : 'border-line text-ink-2'"
                    :aria-pressed="chosen.includes(band.name)"
                    :data-band="band.name"
                    @click="toggle(band.name)"
                >
                    {{ band.short }}<span v-if="shareOf(band.name) !== null" class="figures ml-1 text-xs">{{ percent(shareOf(band.name), 0) }}</span>
                </button>
            </p>
        </div>
        <label v-if="hasBands && hasWeights" class="grid grid-cols-[5rem_1fr] items-baseline gap-x-2 text-sm"
            ><span class="text-ink-2">weights</span
            ><input class="field figures" :value="weights.join(', ')" placeholder="equal" data-setting="weights" @change="weigh"
        /></label>
        <p v-for="text in problems" :key="text!" role="alert" class="text-sm text-madder">{{ text }}</p>
    </div>
</template>
