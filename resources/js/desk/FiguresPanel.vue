<script setup lang="ts">
import { computed } from 'vue';
import { hectares, number, percent } from '../plots/format';

/** What a run reports, whatever the kind: plain values, band statistics and class shares. */
const props = defineProps<{ figures: Record<string, unknown> }>();

interface Bands { title: string; rows: { band: string; unit: string | null; mean: number | null; deviation: number | null; minimum: number | null; maximum: number | null }[] }
interface Classes { title: string; rows: { code: number; class: string; pixels: number; share: number; hectares?: number; points?: number }[] }

const isRecord = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value);
const words = (name: string) => name.replace(/([A-Z])/g, ' $1').replace(/^(chorometra|view|eo):/, '').replaceAll('_', ' ').toLowerCase();

const plain = computed(() => {
    const rows: [string, string, boolean][] = [];
    const add = (name: string, value: unknown) => {
        if (typeof value === 'number') rows.push([words(name), name === 'seconds' ? `${number(value, 3)} s` : name === 'memory' ? `${value} MB` : name === 'hectares' ? hectares(value) : number(value), true]);
        else if (typeof value === 'string') rows.push([words(name), value, false]);
        else if (Array.isArray(value) && value.length && value.every((one) => typeof one !== 'object')) rows.push([words(name), value.map((one) => (typeof one === 'number' ? number(one) : String(one))).join(', '), true]);
    };
    for (const [name, value] of Object.entries(props.figures)) {
        if (name === 'warning') continue;
        if (name === 'metadata' && isRecord(value)) Object.entries(value).forEach(([key, one]) => add(key, one));
        else if (name === 'bands' && isRecord(value)) rows.push(['bands', Object.entries(value).map(([role, band]) => `${role} = ${String(band)}`).join(', '), false]);
        else add(name, value);
    }
    return rows;
});
const nested = computed(() => {
    const out: [string, Record<string, unknown>][] = [];
    for (const [name, value] of Object.entries(props.figures)) {
        if (name === 'groups' && isRecord(value)) for (const [group, part] of Object.entries(value)) if (isRecord(part)) out.push([group, part]);
        if (isRecord(value)) out.push([name, value]);
    }
    return out;
});
/** Lists of like records, such as what was learnt of each band, stand as tables. */
const lists = computed(() => Object.entries(props.figures).flatMap(([name, value]) => {
    if (name === 'strata' || name === 'tie-points' || !Array.isArray(value) || !value.length || !value.every(isRecord)) return [];
    const rows = value as Record<string, unknown>[];
    const heads = [...new Set(rows.flatMap((row) => Object.keys(row)))].filter((head) => rows.some((row) => row[head] !== null && typeof row[head] !== 'object') || rows.some((row) => Array.isArray(row[head]) && (row[head] as unknown[]).length));
    const cell = (one: unknown): string => (typeof one === 'number' ? number(one) : Array.isArray(one) ? one.map((part) => (isRecord(part) ? String(Object.values(part)[0]) : String(part))).join(', ') : String(one ?? '–'));
    return [{ title: words(name), heads: heads.map((head) => words(head).replaceAll('-', ' ')), rows: rows.slice(0, 24).map((row) => heads.map((head) => ({ text: cell(row[head]), isNumber: typeof row[head] === 'number' }))) }];
}));
const bands = computed<Bands[]>(() => nested.value.filter(([, part]) => Array.isArray(part.bands)).map(([title, part]) => ({ title, rows: part.bands as Bands['rows'] })));
const classes = computed<Classes[]>(() => [
    ...nested.value.filter(([, part]) => Array.isArray(part.classes)).map(([title, part]) => ({ title, rows: part.classes as Classes['rows'] })),
    ...(Array.isArray(props.figures.strata) ? [{ title: 'strata', rows: props.figures.strata as Classes['rows'] }] : []),
]);
</script>

<template>
    <section class="space-y-3 text-sm" data-figures>
        <p v-if="typeof figures.warning === 'string'" class="border-l-2 border-ochre pl-2" role="note" data-warning>{{ figures.warning }}</p>
        <table v-for="table in classes" :key="table.title" class="w-full">
            <caption class="text-left text-ink-2">{{ table.title === 'result' ? 'classes' : table.title }}</caption>
            <tbody>
                <tr v-for="row in table.rows" :key="row.code" class="border-t border-line"><td class="py-0.5">{{ row.class }}</td><td class="figures pl-2 text-right whitespace-nowrap">{{ percent(row.share) }}</td><td class="figures pl-2 text-right whitespace-nowrap">{{ row.points !== undefined ? `${row.points} points` : row.hectares !== undefined ? hectares(row.hectares, Math.max(...table.rows.map((one) => one.hectares ?? 0))) : `${number(row.pixels)} px` }}</td></tr>
            </tbody>
        </table>
        <div v-for="table in bands" :key="table.title" class="overflow-x-auto">
<table class="w-full">
            <caption class="text-left text-ink-2">{{ [table.title === 'result' ? '' : table.title, table.rows[0]?.unit?.replace(/^reflectance$/, 'reflectance, %')].filter(Boolean).join(', ') || 'values' }}</caption>
            <thead><tr class="text-xs text-ink-2"><th class="text-left font-normal">band</th><th v-for="head in ['mean', 'deviation', 'from', 'to']" :key="head" class="pl-2 text-right font-normal">{{ head }}</th></tr></thead>
            <tbody>
                <tr v-for="row in table.rows" :key="row.band" class="border-t border-line"><td class="py-0.5 whitespace-nowrap">{{ row.band }}</td><td v-for="(value, i) in [row.mean, row.deviation, row.minimum, row.maximum]" :key="i" class="figures pl-2 text-right whitespace-nowrap">{{ number(value === null || row.unit !== 'reflectance' ? value : 100 * value) }}</td></tr>
            </tbody>
        </table>
</div>
        <div v-for="list in lists" :key="list.title" class="overflow-x-auto">
<table class="w-full">
            <caption class="text-left text-ink-2">{{ list.title }}</caption>
            <thead><tr class="text-xs text-ink-2"><th v-for="(head, i) in list.heads" :key="head" class="font-normal" :class="i ? 'pl-2 text-right' : 'text-left'">{{ head }}</th></tr></thead>
            <tbody><tr v-for="(row, r) in list.rows" :key="r" class="border-t border-line"><td v-for="(one, i) in row" :key="i" class="py-0.5" :class="[one.isNumber ? 'figures' : '', i ? 'pl-2 text-right' : '']">{{ one.text }}</td></tr></tbody>
        </table>
</div>
        <dl class="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
            <template v-for="[name, value, isNumber] in plain" :key="name"><dt class="text-ink-2">{{ name }}</dt><dd class="text-right wrap-anywhere" :class="isNumber ? 'figures' : ''">{{ value }}</dd></template>
        </dl>
    </section>
</template>
