<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue';
import { BookmarkIcon as BookmarkOutline } from '@heroicons/vue/24/outline';
import { BookmarkIcon, XMarkIcon } from '@heroicons/vue/20/solid';
import { computed } from 'vue';
import type { Peg } from '../api/client';
import { useBench } from '../bench/useBench';
import { pegColour, reading } from '../plots/format';
import { rasterSources, sameSource, type Source } from '../views/look';
import type { Reading } from './useReadings';

const props = defineProps<{ readings: Reading[] }>();
const bench = useBench();
const pegs = computed(() => bench.store.study.value?.pegs ?? []);
const columns = computed(() =>
    props.readings.flatMap((reading) =>
        reading.item.raster.bands.map((band) => ({
            reading,
            band: band.number,
            first: band.number === 1,
            label: reading.item.raster.bands.length > 1 ? band.label : reading.label.replace(/^\d+ /, ''),
        })),
    ),
);
const all = computed(() => (bench.store.study.value ? rasterSources(bench.store.study.value) : []));

function cell({ reading: from, band }: { reading: Reading; band: number }, peg: Peg): string {
    const { raster } = from.item;
    const value = from.values.get(peg.id)?.[band - 1];
    if (value === undefined || value === null) return '–';
    if (raster.content === 'classes') return raster.legend?.find((entry) => entry.value === value)?.name ?? 'unlabelled';
    return reading(value, raster.bands[band - 1]?.unit);
}

const isPinned = (source: Source) => bench.views.pinned.value.some((one) => sameSource(one, source));
const isInView = (source: Source) => bench.views.inView().some((one) => sameSource(one, source));
function pin(source: Source): void {
    const now = bench.views.pinned.value;
    bench.views.pinned.value = isPinned(source) ? now.filter((one) => !sameSource(one, source)) : [...now, source];
}
function go(peg: Peg): void {
    bench.views.shared.view.setCenter([peg.x, peg.y]);
}
</script>

<template>
    <div class="min-w-0 overflow-auto">
        <table class="w-full border-collapse text-sm" data-pegs>
            <thead class="sticky top-0 z-20 bg-paper">
                <tr class="text-xs text-ink-2">
                    <th class="sticky left-0 bg-paper" />
                    <th
                        v-for="from in readings"
                        :key="from.item.id"
                        :colspan="from.item.raster.bands.length"
                        class="border-l border-line px-2 pt-1 text-right font-normal whitespace-nowrap"
                    >
                        {{ from.label }}
                        <button
                            class="align-middle hover:text-ink"
                            :class="isPinned(from.source) ? 'text-verdigris' : ''"
                            :aria-pressed="isPinned(from.source)"
                            :aria-label="`Keep ${from.label} in this table`"
                            :title="isPinned(from.source) ? 'Kept, whatever the views show' : 'Keep in this table, whatever the views show'"
                            :data-pin="from.label"
                            @click="pin(from.source)"
                        >
                            <component :is="isPinned(from.source) ? BookmarkIcon : BookmarkOutline" class="size-3.5" />
                        </button>
                    </th>
                    <th />
                </tr>
                <tr class="text-ink-2">
                    <th class="sticky left-0 z-20 bg-paper py-0.5 pl-3 text-left font-normal">
                        <Popover class="relative inline-block">
                            <PopoverButton class="plain">values from</PopoverButton>
                            <PopoverPanel class="sheet absolute left-0 z-30 mt-1 max-h-52 w-60 overflow-auto p-2 text-ink">
                                <p class="px-1 pb-1 text-ink-2">what the views show, and</p>
                                <label v-for="one in all" :key="one.label" class="flex items-center gap-2 px-1 py-0.5"
                                    ><input type="checkbox" :checked="isPinned(one.source)" @change="pin(one.source)" />{{ one.label
                                    }}<span v-if="isInView(one.source)" class="ml-auto text-ink-2">in view</span></label
                                >
                                <button v-if="bench.views.pinned.value.length" class="plain mt-1 px-1" @click="bench.views.pinned.value = []">
                                    only what the views show
                                </button>
                            </PopoverPanel>
                        </Popover>
                    </th>
                    <th
                        v-for="column in columns"
                        :key="`${column.reading.item.id}/${column.band}`"
                        class="px-2 py-0.5 text-right font-normal whitespace-nowrap"
                        :class="column.first ? 'border-l border-line' : ''"
                        :title="column.reading.label"
                    >
                        {{ column.label }}
                    </th>
                    <th class="w-6" />
                </tr>
            </thead>
            <tbody>
                <tr v-for="peg in pegs" :key="peg.id" class="border-t border-line" :data-peg-row="peg.letter">
                    <td class="sticky left-0 z-10 bg-paper py-0.5 pl-3 whitespace-nowrap">
                        <button
                            class="mr-2 inline-block size-5 rounded-xs border border-black text-center text-xs leading-[1.1rem] font-bold text-black"
                            :style="{ background: pegColour(peg.letter) }"
                            :title="`Move the views to peg ${peg.letter}`"
                            @click="go(peg)"
                        >
                            {{ peg.letter }}
                        </button>
                        <input
                            class="w-28 bg-transparent"
                            :aria-label="`Name of peg ${peg.letter}`"
                            placeholder="name it"
                            :value="peg.name ?? ''"
                            @change="bench.pegs.name(peg, ($event.target as HTMLInputElement).value)"
                        />
                    </td>
                    <td
                        v-for="column in columns"
                        :key="`${column.reading.item.id}/${column.band}`"
                        class="figures px-2 py-0.5 text-right whitespace-nowrap"
                        :class="column.first ? 'border-l border-line' : ''"
                        :data-value="`${column.reading.label}/${column.label}`"
                    >
                        {{ cell(column, peg) }}
                    </td>
                    <td class="pr-2">
                        <button
                            :aria-label="`Remove peg ${peg.letter}`"
                            title="Remove this peg"
                            class="align-middle text-ink-2 hover:text-madder"
                            @click="bench.pegs.remove(peg)"
                        >
                            <XMarkIcon class="size-4" />
                        </button>
                    </td>
                </tr>
            </tbody>
        </table>
        <p v-if="!pegs.length" class="px-3 py-2 text-ink-2">
            No pegs yet. A peg stays where you drop it and reads every band of every item.
            <button class="plain" @click="bench.drawing.tool.value = { does: 'peg' }">Drop pegs (P)</button>
        </p>
    </div>
</template>
