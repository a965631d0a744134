<script setup lang="ts">
import { api, must, type Between, type RasterItem } from '../api/client';
import { longDate, number, percent } from '../plots/format';
import type { OtherDate } from './otherDate';
import { useLatest } from './useLatest';

/** How far two dates lie apart where nothing changed: what a correction should make small. */
const props = defineProps<{ before: RasterItem; after: RasterItem; other: OtherDate }>();

const { answer: bands, problem } = useLatest<Between[]>(
    'between dates',
    () => [props.before.id, props.after.id, props.other.before.id, props.other.after.id].join('/'),
    () =>
        must(
            api.GET('/items/{item}/compare/{other}/dates', {
                params: { path: { item: props.before.id, other: props.after.id }, query: { before: props.other.before.id, after: props.other.after.id } },
            }),
        ),
    [],
);
</script>

<template>
    <section class="space-y-1 border-t border-line pt-3 text-sm" data-between-dates>
        <p>
            <b>Difference from {{ longDate(other.date) }}</b>
        </p>
        <p v-if="problem" class="text-madder">{{ problem }}</p>
        <p v-else-if="!bands.length" class="text-ink-2">comparing …</p>
        <table v-if="bands.length" class="w-full">
            <caption class="text-left text-xs text-ink-2">
                root mean square difference of unchanged pixels, in per cent of the standard deviation of the band ({{
                    percent(bands[0]!.share)
                }}
                of the pixels)
            </caption>
            <thead>
                <tr class="text-xs text-ink-2">
                    <th class="text-left font-normal">band</th>
                    <th class="text-right font-normal">before</th>
                    <th class="text-right font-normal">after</th>
                </tr>
            </thead>
            <tbody>
                <tr v-for="one in bands" :key="one.band" class="border-t border-line">
                    <td>{{ one.band }}</td>
                    <td class="figures text-right" :title="`mean ${number(one.before.mean)}`">{{ percent(one.before.relative) }}</td>
                    <td class="figures text-right" :title="`mean ${number(one.after.mean)}`">{{ percent(one.after.relative) }}</td>
                </tr>
            </tbody>
        </table>
    </section>
</template>
