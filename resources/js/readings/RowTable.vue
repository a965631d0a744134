<script setup lang="ts">
import { useElementSize, useScroll } from '@vueuse/core';
import { computed, ref, shallowReactive, useTemplateRef, watch } from 'vue';
import { api, must, type Item, type Rows } from '../api/client';
import { number, reading } from '../plots/format';

/** Rows of a table or of measures: they come as they are looked at, in the order of any column. One can be chosen. */
const props = defineProps<{ item: Item; isChosen?: (first: number) => boolean }>();
const emit = defineEmits<{ row: [cells: Record<string, number | string | null>]; counted: [rows: number] }>();

const PAGE = 100;
const HIGH = 24;
const frame = useTemplateRef<HTMLElement>('frame');
const { y } = useScroll(frame);
const { height } = useElementSize(frame);
const head = ref<Pick<Rows, 'columns' | 'count'>>({ columns: [], count: 0 });
const by = ref<{ name: string; descending: boolean } | null>(null);
const pages = shallowReactive(new Map<number, Rows['rows']>());
const problem = ref('');
const first = computed(() => Math.max(0, Math.floor(y.value / HIGH) - 5));
const shown = computed(() =>
    Array.from({ length: Math.max(0, Math.min(head.value.count, first.value + Math.ceil((height.value || 600) / HIGH) + 10) - first.value) }, (_, i) => {
        const row = first.value + i;
        return { row, cells: pages.get(Math.floor(row / PAGE))?.[row % PAGE] ?? null };
    }),
);

let round = 0;
async function load(page: number): Promise<void> {
    const mine = round;
    pages.set(page, []);
    try {
        const found = await must(
            api.GET('/items/{item}/rows', {
                params: {
                    path: { item: props.item.id },
                    query: { from: page * PAGE, count: PAGE, ...(by.value ? { by: by.value.name, descending: by.value.descending ? 1 : 0 } : {}) },
                },
            }),
        );
        if (mine !== round) return;
        head.value = { columns: found.columns, count: found.count };
        pages.set(page, found.rows);
        problem.value = '';
        emit('counted', found.count);
    } catch (error) {
        if (mine !== round) return;
        pages.delete(page);
        problem.value = (error as Error).message;
    }
}
watch(
    [shown, () => props.item.id],
    () => {
        for (const { row } of shown.value.length ? [shown.value[0]!, shown.value[shown.value.length - 1]!] : [{ row: 0 }]) {
            const page = Math.floor(row / PAGE);
            if (!pages.has(page)) void load(page);
        }
    },
    { immediate: true },
);

function order(name: string): void {
    by.value = by.value?.name !== name ? { name, descending: false } : by.value.descending ? null : { name, descending: true };
    round++;
    pages.clear();
    void load(Math.floor(first.value / PAGE));
}
const units = computed(() => head.value.columns.map((column) => column.unit));
const cell = (value: number | string | null, column: number) =>
    typeof value !== 'number' ? (value ?? '–') : units.value[column] === 'reflectance' ? reading(value, 'reflectance') : number(value, 6);
function take(cells: Rows['rows'][number] | null): void {
    if (cells) emit('row', Object.fromEntries(head.value.columns.map((column, i) => [column.name, cells[i] ?? null])));
}
const isNumber = (column: number) => shown.value.some(({ cells }) => typeof cells?.[column] === 'number');
</script>

<template>
    <p v-if="problem" role="alert" class="px-3 py-1 text-madder">{{ problem }}</p>
    <div ref="frame" class="overflow-auto border-t border-line" tabindex="0" aria-label="Rows">
        <table class="w-full border-separate border-spacing-0 text-sm">
            <thead class="sticky top-0 z-10 bg-paper">
                <tr>
                    <th
                        v-for="(column, i) in head.columns"
                        :key="column.name"
                        class="border-b border-line bg-paper px-2 font-normal whitespace-nowrap text-ink-2"
                        :class="[isNumber(i) ? 'text-right' : 'text-left', i ? '' : 'sticky left-0']"
                        :aria-sort="by?.name === column.name ? (by.descending ? 'descending' : 'ascending') : 'none'"
                    >
                        <button
                            class="hover:text-verdigris"
                            :class="by?.name === column.name ? 'font-semibold text-ink' : ''"
                            :data-order="column.name"
                            @click="order(column.name)"
                        >
                            {{ [column.name, column.unit === 'reflectance' ? null : column.unit].filter(Boolean).join(', ')
                            }}{{ by?.name === column.name ? (by.descending ? ' ↓' : ' ↑') : '' }}
                        </button>
                    </th>
                </tr>
            </thead>
            <tbody>
                <tr :style="{ height: `${first * HIGH}px` }" aria-hidden="true" />
                <tr
                    v-for="{ row, cells } in shown"
                    :key="row"
                    :style="{ height: `${HIGH}px` }"
                    :class="cells && isChosen?.(Number(cells[0])) ? 'bg-paper-2 font-semibold' : ''"
                    :data-row="row"
                >
                    <td
                        v-for="(column, i) in head.columns"
                        :key="column.name"
                        class="border-b border-line px-2 whitespace-nowrap"
                        :class="[typeof cells?.[i] === 'number' ? 'figures text-right' : '', i ? '' : 'sticky left-0 bg-paper']"
                    >
                        <button v-if="!i && isChosen && cells" class="hover:text-verdigris" title="Select it and go there" @click="take(cells)">
                            {{ cell(cells[i] ?? null, i) }}</button><template v-else>{{ cells ? cell(cells[i] ?? null, i) : '' }}</template>
                    </td>
                </tr>
                <tr :style="{ height: `${Math.max(0, head.count - first - shown.length) * HIGH}px` }" aria-hidden="true" />
            </tbody>
        </table>
    </div>
</template>
