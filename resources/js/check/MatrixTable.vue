<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { Matrix, RasterItem } from '../api/client';
import { useBench } from '../bench/useBench';
import { hectares, number, percent } from '../plots/format';

const props = defineProps<{ matrix: Matrix; map: RasterItem | null }>();
const bench = useBench();

/** A cell leads to its points, one after the other. */
const cell = ref<{ row: number; column: number; at: number } | null>(null);
const of = (row: number, column: number) => props.matrix.places.filter(([i, j]) => i === row && j === column);
/** Views stand in the study's own map coordinates. */
const leads = computed(() => props.map !== null && props.map.raster.own.epsg === (bench.store.study.value?.crs.epsg ?? null));
function lead(row: number, column: number): void {
    const places = of(row, column);
    if (!places.length || !leads.value) return;
    const isSame = cell.value?.row === row && cell.value.column === column;
    cell.value = { row, column, at: isSame ? (cell.value!.at + 1) % places.length : 0 };
    const [, , x, y] = places[cell.value.at] as [number, number, number, number];
    const pixel = Math.hypot(props.map!.raster.transform[1]!, props.map!.raster.transform[4]!);
    bench.views.framed.value = { x, y, pixel };
    bench.views.shared.goTo([x, y], pixel, 6);
}
watch(
    () => props.matrix,
    () => (cell.value = null),
);
const rows = computed(() =>
    props.matrix.classes.map((entry, i) => ({ entry, counts: props.matrix.matrix[i]!, sum: props.matrix.matrix[i]!.reduce((a, b) => a + b, 0) })),
);
const columns = computed(() => props.matrix.classes.map((_, j) => props.matrix.matrix.reduce((sum, row) => sum + row[j]!, 0)));
const all = computed<{ name: string; value: string; counted: string; why?: string }[]>(() => [
    {
        name: 'overall',
        value: props.matrix.overall === null ? '–' : `${within(props.matrix.overall, props.matrix.overallHalf)} %`,
        counted: percent(props.matrix.counted.overall),
    },
    ...(props.matrix.secondLabels
        ? [{ name: 'alternative classes accepted', value: `${within(props.matrix.either ?? null, props.matrix.eitherHalf ?? null)} %`, counted: '' }]
        : []),
    { name: 'quantity', value: percent(props.matrix.quantity), counted: percent(props.matrix.counted.quantity) },
    { name: 'allocation', value: percent(props.matrix.allocation), counted: percent(props.matrix.counted.allocation) },
    {
        name: 'kappa',
        why: 'Kappa compares agreement with chance, which is irrelevant to users of a map: report overall accuracy and areas instead',
        value: number(props.matrix.kappa, 3) + (props.matrix.kappaHalf === null ? '' : ` ± ${number(props.matrix.kappaHalf, 2)}`),
        counted: number(props.matrix.counted.kappa, 3),
    },
]);
const hundredths = (share: number | null) => (share === null ? '–' : (100 * share).toFixed(1));
/** In per cent; an interval that is empty says nothing. */
const within = (share: number | null, half: number | null) => (half ? `${hundredths(share)} ± ${hundredths(half)}` : hundredths(share));
/** What the areas of the table are told beside. */
const greatest = computed(() => Math.max(0, ...props.matrix.classes.flatMap((entry) => [entry.hectares ?? 0, entry.mappedHectares ?? 0])));
/** An area, or its share where the map lies nowhere. */
const ground = (area: number | null | undefined, share: number | null) =>
    area === undefined ? percent(share) : area === null ? '–' : hectares(area, greatest.value);
/** The area that is known least well, of those that can be known better. */
const widest = computed(
    () =>
        [...props.matrix.classes]
            .filter((entry) => entry.more && entry.share)
            .sort((a, b) => (b.shareHalf ?? 0) / b.share! - (a.shareHalf ?? 0) / a.share!)[0] ?? null,
);
const full = computed(() => Math.max(1, ...props.matrix.matrix.flat()));
</script>

<template>
    <section class="space-y-3 text-sm" data-matrix>
        <div class="overflow-x-auto" tabindex="0" role="group" aria-label="error matrix">
            <table class="w-full">
                <caption class="text-left text-ink-2">
                    points: map in rows, reference labels in columns
                </caption>
                <thead>
                    <tr class="text-xs text-ink-2">
                        <th />
                        <th v-for="{ entry } in rows" :key="entry.code" class="px-1 text-right font-normal">{{ entry.class }}</th>
                        <th class="px-1 text-right font-normal">all</th>
                    </tr>
                </thead>
                <tbody>
                    <tr v-for="({ entry, counts, sum }, i) in rows" :key="entry.code" class="border-t border-line">
                        <th class="py-0.5 text-left font-normal whitespace-nowrap">
                            <span class="mr-1.5 inline-block size-2.5 border border-ink-2" :style="{ background: entry.colour ?? 'transparent' }" />{{
                                entry.class
                            }}
                        </th>
                        <td
                            v-for="(count, j) in counts"
                            :key="j"
                            class="figures px-1 text-right"
                            :class="[i === j ? 'font-bold' : '', cell?.row === i && cell.column === j ? 'outline outline-ink' : '']"
                            :style="{
                                background: count
                                    ? `color-mix(in srgb, var(${i === j ? '--verdigris' : '--madder'}) ${Math.round(6 + (18 * count) / full)}%, transparent)`
                                    : '',
                            }"
                        >
                            <button
                                v-if="count && leads && matrix.places.length"
                                class="min-h-6 w-full text-right underline decoration-dotted underline-offset-2"
                                :title="`Look at these points: on the map ${entry.class}, labelled ${matrix.classes[j]!.class}`"
                                :data-cell="`${entry.class}/${matrix.classes[j]!.class}`"
                                @click="lead(i, j)"
                            >
                                {{ count }}</button><template v-else>{{ count }}</template>
                        </td>
                        <td class="figures px-1 text-right text-ink-2">{{ sum }}</td>
                    </tr>
                    <tr class="border-t border-line text-ink-2">
                        <th class="text-left font-normal">all</th>
                        <td v-for="(sum, j) in columns" :key="j" class="figures px-1 text-right">{{ sum }}</td>
                        <td class="figures px-1 text-right">{{ matrix.points }}</td>
                    </tr>
                </tbody>
            </table>
        </div>
        <p v-if="cell" class="text-ink-2" aria-live="polite" data-cell-at>
            Point {{ cell.at + 1 }} of {{ of(cell.row, cell.column).length }}: on the map {{ matrix.classes[cell.row]!.class }}, labelled
            {{ matrix.classes[cell.column]!.class }}.<template v-if="of(cell.row, cell.column).length > 1"> Click the cell for the next.</template>
        </p>
        <table class="w-full" data-estimates>
            <caption class="text-left text-ink-2">
                the whole map, with 95 % confidence intervals
            </caption>
            <thead>
                <tr class="text-xs text-ink-2">
                    <th />
                    <th class="pl-2 text-right font-normal">map</th>
                    <th class="pl-2 text-right font-normal">of the points</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="{ name, value, counted, why } in all" :key="name" class="border-t border-line">
                    <th class="py-0.5 text-left font-normal" :title="why">{{ name }}<span v-if="why" class="text-xs text-ink-2"> (not recommended)</span></th>
                    <td
                        class="figures pl-2 text-right whitespace-nowrap"
                        :class="name === 'overall' ? 'text-base font-semibold' : ''"
                        v-bind="{ [`data-${name.split(' ')[0]}`]: '' }"
                    >
                        {{ value }}
                    </td>
                    <td class="figures pl-2 text-right whitespace-nowrap text-ink-2" v-bind="{ [`data-counted-${name.split(' ')[0]}`]: '' }">{{ counted }}</td>
                </tr>
            </tbody>
        </table>
        <table class="w-full">
            <thead>
                <tr class="text-xs text-ink-2">
                    <th />
                    <th class="pl-2 text-right font-normal">user's, %</th>
                    <th class="pl-2 text-right font-normal">producer's, %</th>
                    <th class="pl-2 text-right font-normal">F1</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="{ entry } in rows" :key="entry.code" class="border-t border-line">
                    <th class="py-0.5 text-left font-normal">{{ entry.class }}</th>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ within(entry.users, entry.usersHalf) }}</td>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ within(entry.producers, entry.producersHalf) }}</td>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ number(entry.f1, 3) }}</td>
                </tr>
            </tbody>
        </table>
        <table v-if="matrix.shares" class="w-full">
            <thead>
                <tr class="text-xs text-ink-2">
                    <th />
                    <th class="pl-2 text-right font-normal">area</th>
                    <th class="pl-2 text-right font-normal">±</th>
                    <th class="pl-2 text-right font-normal">on the map</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="{ entry } in rows" :key="entry.code" class="border-t border-line">
                    <th class="py-0.5 text-left font-normal">{{ entry.class }}</th>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ ground(entry.hectares, entry.share) }}</td>
                    <td class="figures pl-2 text-right whitespace-nowrap">
                        {{ entry.shareHalf ? ground(entry.hectaresHalf, entry.shareHalf) : '–'
                        }}<span v-if="entry.isRare && entry.shareHalf" title="Too short: few points of this class are in other classes of the map">*</span>
                    </td>
                    <td class="figures pl-2 text-right whitespace-nowrap">
                        {{ entry.mappedHectares === undefined ? '' : hectares(entry.mappedHectares, greatest) }}
                    </td>
                </tr>
            </tbody>
        </table>
        <p v-if="matrix.more" class="text-xs text-ink-2" data-more>
            {{ matrix.more.points }} points more would halve the interval of the overall accuracy, most of them from
            {{
                matrix.more.from
                    .slice(0, 2)
                    .map((one) => `${one.stratum} (${one.points})`)
                    .join(' and ')
            }}.
            <template v-if="widest"
                >For that of the area of {{ widest.class }}, {{ widest.more!.points }}:
                {{
                    widest
                        .more!.from.slice(0, 2)
                        .map((one) => `${one.points} from ${one.stratum}`)
                        .join(', ')
                }}.</template
            >
        </p>
        <p v-if="matrix.counted.overall === 1" class="text-xs text-ink-2" data-no-errors>
            No point disagrees, so the intervals are empty and do not describe the uncertainty.
        </p>
        <p v-else-if="matrix.classes.some((entry) => entry.usersHalf === 0)" class="text-xs text-ink-2">
            A class without a wrong point has no interval; its uncertainty is unknown.
        </p>
        <p v-for="note in matrix.points ? matrix.notes : []" :key="note" class="text-xs text-ink-2" data-matrix-note>{{ note }}</p>
    </section>
</template>
