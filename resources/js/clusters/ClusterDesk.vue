<script setup lang="ts">
import { computed, onBeforeUnmount, shallowRef, watch } from 'vue';
import { api, must, type RasterItem, type Step } from '../api/client';
import { useBench } from '../bench/useBench';
import { hectares, number, percent, reading, short } from '../plots/format';
import { valuesAt } from '../readings/useReadings';
import { trainingAmong } from '../training/useTraining';

/** Clusters one by one: how large, what they look like, what they hold of pegs and training areas, and the names that they are given. */
const props = defineProps<{ step: Step; item: RasterItem; makes: string }>();
const bench = useBench();
const { drawing, naming, store } = bench;

watch(
    () => props.item,
    (item) => naming.open(item),
    { immediate: true },
);
onBeforeUnmount(() => naming.open(null));

interface Centres {
    bands: string[];
    units: (string | null)[];
    rows: number[][];
}
const centres = computed(() => props.step.figures?.centres as Centres | undefined);
const counted = computed(() => {
    const told = props.step.figures?.classes as { classes?: { code: number; pixels: number; share: number; hectares?: number }[] } | undefined;
    return new Map((told?.classes ?? []).map((one) => [one.code, one]));
});

/** What lies in each cluster of pegs and of training areas. */
const pegs = shallowRef<{ letter: string; code: number }[]>([]);
watch(
    [() => props.item, () => store.study.value?.pegs],
    async () => {
        const list = store.study.value?.pegs ?? [];
        const read = await valuesAt(props.item, list);
        pegs.value = list.flatMap((peg) => {
            const code = read.get(peg.id)?.[0];
            return typeof code === 'number' ? [{ letter: peg.letter, code }] : [];
        });
    },
    { immediate: true },
);
const areas = computed(() => trainingAmong(drawing.own.value.filter((one) => one.count > 0)));
const held = shallowRef<{ class: string; codes: { code: number; pixels: number }[] }[]>([]);
watch(
    [() => props.item.id, () => areas.value?.stamp],
    async () => {
        held.value = areas.value
            ? ((await store.act(() =>
                  must(api.GET('/items/{item}/held/{drawing}', { params: { path: { item: props.item.id, drawing: areas.value!.id } } })),
              )) ?? [])
            : [];
    },
    { immediate: true },
);
function holds(code: number): string {
    const found = held.value
        .map((one) => ({
            class: one.class,
            pixels: one.codes.find((own) => own.code === code)?.pixels ?? 0,
            all: one.codes.reduce((sum, own) => sum + own.pixels, 0),
        }))
        .filter((one) => one.pixels > 0.05 * one.all)
        .sort((a, b) => b.pixels - a.pixels);
    return found
        .slice(0, 3)
        .map((one) => `${percent(one.pixels / one.all, 0)} of ${one.class}`)
        .join(', ');
}
const rows = computed(() =>
    naming.codes.value.map((code) => ({
        code,
        told: counted.value.get(code),
        pegs: pegs.value.filter((one) => one.code === code).map((one) => one.letter),
        holds: holds(code),
    })),
);

/** The signatures of all, that of the one pointed at in front. */
const [W, H] = [280, 96];
const lines = computed(() => {
    const told = centres.value;
    if (!told?.rows.length) return [];
    const reach = told.bands.map((_, band) => {
        const all = told.rows.map((row) => row[band]!);
        return [Math.min(...all), Math.max(...all)] as const;
    });
    const isOne = new Set(told.units).size === 1;
    const [least, most] = [Math.min(...reach.map(([low]) => low)), Math.max(...reach.map(([, high]) => high))];
    return told.rows.map((row, i) => ({
        code: i + 1,
        points: row
            .map((value, band) => {
                const [low, high] = isOne ? [least, most] : reach[band]!;
                const x = told.bands.length > 1 ? 8 + ((W - 16) * band) / (told.bands.length - 1) : W / 2;
                return `${x},${H - 14 - ((H - 22) * (value - low)) / Math.max(1e-12, high - low)}`;
            })
            .join(' '),
    }));
});
const values = computed(() => {
    const row = naming.pointed.value === null ? null : centres.value?.rows[naming.pointed.value - 1];
    return row ? row.map((value, i) => `${centres.value!.bands[i]} ${reading(value, centres.value!.units[i])}`).join(' · ') : '';
});

const used = computed(() => [...new Set(Object.values(naming.names.value))]);
const known = computed(() => [...new Set([...used.value, ...held.value.map((one) => one.class), ...(store.study.value?.legend ?? []).map((one) => one.name)])]);
/** Clusters of one name become one class. */
const recoded = computed(() =>
    used.value
        .map((name) => `${name} ${naming.colourOf(name)} = ${naming.codes.value.filter((code) => naming.names.value[code] === name).join(', ')}`)
        .join('\n'),
);
async function make(): Promise<void> {
    const made = await store.act(() =>
        must(
            api.POST('/studies/{study}/steps', {
                params: { path: { study: bench.id } },
                body: {
                    kind: props.makes,
                    inputs: { classes: { step: props.step.id, output: 'classes' } },
                    settings: { lines: recoded.value, others: 'keep' },
                    run: true,
                },
            }),
        ),
    );
    if (made) bench.desk.open.value = { step: made.id };
}
</script>

<template>
    <section class="space-y-2 border-t border-line pt-3" data-clusters>
        <h3 class="font-semibold">Names</h3>
        <p class="flex items-baseline gap-2 text-sm">
            <input
                v-model="naming.current.value"
                class="field min-w-0 flex-1"
                maxlength="120"
                list="cluster-names"
                placeholder="water, wood …"
                aria-label="Name to assign by clicking"
                data-cluster-name
            />
            <button
                class="plain"
                :class="naming.isNaming.value ? 'font-semibold' : ''"
                :aria-pressed="naming.isNaming.value"
                data-name-in-view
                @click="drawing.arm({ does: 'name' })"
            >
                {{ naming.isNaming.value ? 'stop naming' : 'name by clicking' }}
            </button>
            <datalist id="cluster-names"><option v-for="one in known" :key="one" :value="one" /></datalist>
        </p>
        <svg v-if="lines.length" :viewBox="`0 0 ${W} ${H}`" class="w-full" role="img" aria-label="Signatures of the clusters">
            <polyline
                v-for="one in lines"
                :key="one.code"
                :points="one.points"
                fill="none"
                :stroke="naming.shownColour(one.code)"
                :stroke-width="naming.pointed.value === one.code ? 3 : 1.4"
                :opacity="naming.pointed.value === null || naming.pointed.value === one.code ? 1 : 0.25"
            />
            <text x="6" :y="H - 2" font-size="9" fill="var(--ink-2)">{{ centres!.bands[0] }}</text>
            <text :x="W - 6" :y="H - 2" text-anchor="end" font-size="9" fill="var(--ink-2)">{{ centres!.bands[centres!.bands.length - 1] }}</text>
        </svg>
        <p class="figures min-h-8 text-xs text-ink-2" aria-live="polite">{{ values || 'Point at a cluster, here or in a view, to see it alone.' }}</p>
        <ul>
            <li
                v-for="row in rows"
                :key="row.code"
                class="border-t border-line py-0.5"
                :class="naming.pointed.value === row.code ? 'bg-paper-2' : ''"
                :data-cluster="row.code"
                @mouseenter="naming.pointed.value = row.code"
                @mouseleave="naming.pointed.value = null"
                @focusin="naming.pointed.value = row.code"
                @focusout="naming.pointed.value = null"
            >
                <p class="flex items-center gap-2">
                    <span class="size-3.5 shrink-0 border border-line" :style="{ background: naming.shownColour(row.code) }" />
                    <input
                        class="field min-w-0 flex-1"
                        maxlength="120"
                        list="cluster-names"
                        :value="naming.names.value[row.code] ?? ''"
                        :placeholder="`cluster ${row.code}`"
                        :aria-label="`Name of cluster ${row.code}`"
                        @change="naming.name(row.code, ($event.target as HTMLInputElement).value.trim())"
                    />
                    <span v-if="row.told" class="figures text-sm text-ink-2"
                        >{{ percent(row.told.share, 1) }}<template v-if="row.told.hectares !== undefined"> · {{ hectares(row.told.hectares) }}</template
                        ><template v-else> · {{ number(row.told.pixels) }} px</template></span
                    >
                </p>
                <p v-if="row.pegs.length || row.holds" class="pl-6 text-xs text-ink-2">
                    {{ [row.pegs.length ? `peg${row.pegs.length > 1 ? 's' : ''} ${row.pegs.join(', ')}` : '', row.holds].filter(Boolean).join(' · ') }}
                </p>
            </li>
        </ul>
        <p v-if="used.length" class="text-sm">
            <button class="action" data-make-named @click="make">Make the class map</button>
            <span class="ml-2 text-ink-2">{{ short(used.length) }} {{ used.length === 1 ? 'class' : 'classes' }}; unnamed clusters are kept.</span>
        </p>
    </section>
</template>
