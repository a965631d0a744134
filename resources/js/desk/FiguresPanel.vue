<script setup lang="ts">
import { computed } from 'vue';
import type { Figure } from '../api/client';
import CurvePlot from '../plots/CurvePlot.vue';
import HistogramPlot from '../plots/HistogramPlot.vue';
import type { Adjusted } from '../check/useAdjusted';
import { hectares, number, percent } from '../plots/format';

/** What a run reports, each figure shown by its type. */
const props = defineProps<{ report: Figure[]; adjusted?: Record<string, Record<string, Adjusted>> }>();

/** Rows of a table that stand on the desk; the file has all. */
const MOST = 24;

type Of<T extends Figure['type']> = Extract<Figure, { type: T }>;
const of = <T extends Figure['type']>(type: T) => computed(() => props.report.filter((figure): figure is Of<T> => figure.type === type));

const warnings = of('warning');
const classes = of('classes');
const bands = of('bands');
const curves = of('curve');
const histograms = of('histogram');
/** Columns that hold nothing are left out. */
const tables = computed(() =>
    props.report
        .filter((figure) => figure.type === 'table')
        .map((table) => {
            const full = table.columns.map((_, i) => i).filter((i) => table.rows.some((row) => row[i] !== null));
            return {
                label: table.label,
                columns: full.map((i) => table.columns[i]!),
                rows: table.rows.slice(0, MOST).map((row) => full.map((i) => row[i] ?? null)),
                left: table.rows.length - MOST,
            };
        }),
);
const plain = computed(() =>
    props.report.flatMap((figure) => {
        if (figure.type === 'text') return [{ label: figure.label, text: figure.text, isNumber: false }];
        if (figure.type === 'list')
            return [
                {
                    label: figure.label,
                    text: [figure.values.map((one) => (typeof one === 'number' ? number(one) : one)).join(', '), figure.unit].filter(Boolean).join(' '),
                    isNumber: true,
                },
            ];
        if (figure.type === 'value') return [{ label: figure.label, text: withUnit(figure.value, figure.unit), isNumber: true }];
        return [];
    }),
);

function withUnit(value: number, unit: string | null): string {
    if (unit === 'ha') return hectares(value);
    if (unit === 's') return `${number(value, 3)} s`;
    return unit === null ? number(value) : unit === '°' ? `${number(value)}°` : `${number(value)} ${unit}`;
}
/** Of all bands; null where they differ, and each tells its own. */
function unitOf(rows: Of<'bands'>['rows']): string | null {
    const units = new Set(rows.map((row) => row.unit));
    return units.size === 1 ? ([...units][0]?.replace(/^reflectance$/, 'reflectance, %') ?? '') : null;
}
const cell = (value: number | string | null) => (typeof value === 'number' ? number(value) : (value ?? '–'));
/** What a sample tells of the areas of a map, beside what the map does. */
const sampled = (label: string) => props.adjusted?.[label || 'result'];
function within(one: Adjusted | undefined, rows: Of<'classes'>['rows']): string {
    const greatest = Math.max(...rows.map((row) => row.hectares ?? 0));
    if (!one || one.hectares === null) return '–';
    return one.half
        ? `${hectares(one.hectares, greatest)} ± ${hectares(one.half, greatest).replace(/ (ha|km²)$/, '')}${one.isRare ? '*' : ''}`
        : hectares(one.hectares, greatest);
}
function extent(row: Of<'classes'>['rows'][number], rows: Of<'classes'>['rows']): string {
    if (row.points !== undefined) return `${row.points} points`;
    return row.hectares === undefined ? `${number(row.pixels)} px` : hectares(row.hectares, Math.max(...rows.map((one) => one.hectares ?? 0)));
}
</script>

<template>
    <section class="space-y-3 text-sm" data-figures>
        <p v-for="warning in warnings" :key="warning.text" class="border-l-2 border-ochre pl-2" role="note" data-warning>{{ warning.text }}</p>
        <table v-for="table in classes" :key="table.label" class="w-full">
            <caption class="text-left text-ink-2">
                {{
                    table.label || 'classes'
                }}
            </caption>
            <thead v-if="sampled(table.label)" class="text-xs text-ink-2">
                <tr>
                    <th />
                    <th />
                    <th class="pl-2 text-right font-normal">on the map</th>
                    <th class="pl-2 text-right font-normal">from check points, ± 95 %</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="row in table.rows" :key="row.code" class="border-t border-line">
                    <td class="py-0.5">{{ row.class }}</td>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ percent(row.share) }}</td>
                    <td class="figures pl-2 text-right whitespace-nowrap">{{ extent(row, table.rows) }}</td>
                    <td v-if="sampled(table.label)" class="figures pl-2 text-right whitespace-nowrap" :data-adjusted="row.class">
                        {{ within(sampled(table.label)![row.class], table.rows) }}
                    </td>
                </tr>
            </tbody>
        </table>
        <div v-for="table in bands" :key="table.label" class="overflow-x-auto" tabindex="0" role="group" :aria-label="table.label || 'bands'">
            <table class="w-full">
                <caption class="text-left text-ink-2">
                    {{
                        [table.label, unitOf(table.rows)].filter(Boolean).join(', ') || 'values'
                    }}
                </caption>
                <thead>
                    <tr class="text-xs text-ink-2">
                        <th class="text-left font-normal">band</th>
                        <th v-for="head in ['mean', 'deviation', 'from', 'to']" :key="head" class="pl-2 text-right font-normal">{{ head }}</th>
                    </tr>
                </thead>
                <tbody>
                    <tr v-for="row in table.rows" :key="row.band" class="border-t border-line">
                        <td class="py-0.5 whitespace-nowrap">{{ unitOf(table.rows) === null && row.unit ? `${row.band}, ${row.unit}` : row.band }}</td>
                        <td
                            v-for="(value, i) in [row.mean, row.deviation, row.minimum, row.maximum]"
                            :key="i"
                            class="figures pl-2 text-right whitespace-nowrap"
                        >
                            {{ number(value === null || row.unit !== 'reflectance' ? value : 100 * value) }}
                        </td>
                    </tr>
                </tbody>
            </table>
        </div>
        <div v-for="table in tables" :key="table.label" class="overflow-x-auto" tabindex="0" role="group" :aria-label="table.label">
            <table class="w-full">
                <caption class="text-left text-ink-2">
                    {{
                        table.label
                    }}
                </caption>
                <thead>
                    <tr class="text-xs text-ink-2">
                        <th
                            v-for="(column, i) in table.columns"
                            :key="column.label"
                            class="font-normal whitespace-nowrap"
                            :class="i ? 'pl-2 text-right' : 'text-left'"
                        >
                            {{ [column.label, column.unit].filter(Boolean).join(' ') }}
                        </th>
                    </tr>
                </thead>
                <tbody>
                    <tr v-for="(row, r) in table.rows" :key="r" class="border-t border-line">
                        <td v-for="(value, i) in row" :key="i" class="py-0.5" :class="[typeof value === 'number' ? 'figures' : '', i ? 'pl-2 text-right' : '']">
                            {{ cell(value) }}
                        </td>
                    </tr>
                </tbody>
            </table>
            <p v-if="table.left > 0" class="text-xs text-ink-2">and {{ table.left }} more</p>
        </div>
        <CurvePlot v-for="curve in curves" :key="curve.label" :curve="curve" />
        <figure v-for="one in histograms" :key="one.label" data-histogram>
            <HistogramPlot :data="one" :handles="[]" :names="[]" :label="[one.label, one.unit].filter(Boolean).join(', ')" :height="92" />
        </figure>
        <dl class="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
            <template v-for="(row, i) in plain" :key="i"
                ><dt class="text-ink-2">{{ row.label }}</dt>
                <dd class="text-right wrap-anywhere" :class="row.isNumber ? 'figures' : ''">{{ row.text }}</dd></template
            >
        </dl>
    </section>
</template>
