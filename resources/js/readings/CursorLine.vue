<script setup lang="ts">
import { watchThrottled } from '@vueuse/core';
import { computed, ref } from 'vue';
import { api, must, type RasterItem } from '../api/client';
import { useBench } from '../bench/useBench';
import type { Side } from '../views/useViews';
import { pixelSize, reading } from '../plots/format';
import { formatDegrees, formatMetres, toGeographic } from '../views/geo';
import { findItem } from '../views/look';

/** Where the cursor is, and what the views show there. */
const bench = useBench();
const itemOf = (side: Side, over: boolean) =>
    bench.store.study.value
        ? findItem(bench.store.study.value, over ? bench.views.looks[side].value.over : bench.views.looks[side].value.source, bench.store.trials.value)
        : null;
const base = computed(() => itemOf('a', false) ?? itemOf('b', false));
const place = bench.views.shared.cursor;
const pixel = computed(() => {
    // on another CRS rows and columns are not those of the image
    if (!place.value || !base.value || base.value.raster.warped) return null;
    const [t0, t1, t2, t3, t4, t5] = base.value.raster.transform as [number, number, number, number, number, number];
    const [dx, dy] = [place.value[0] - t0, place.value[1] - t3];
    const determinant = t1 * t5 - t2 * t4;
    return { col: Math.floor((t5 * dx - t2 * dy) / determinant), row: Math.floor((t1 * dy - t4 * dx) / determinant) };
});
const degrees = computed(() => (place.value && base.value ? toGeographic(bench.store.study.value?.crs.definition ?? null, place.value) : null));
/** How large pixels are in what the views show; by view where they differ. */
const sizes = computed(() => {
    const told = (['a', 'b'] as const).flatMap((side) => {
        const item = itemOf(side, false);
        return item ? [{ side, size: pixelSize(item.raster.own.pixel) }] : [];
    });
    const different = new Set(told.map((one) => one.size));
    return different.size < 2 ? [...different].filter(Boolean) : told.map((one) => `${one.side.toUpperCase()} ${one.size}`);
});
const values = ref<Partial<Record<string, string>>>({});

function text(item: RasterItem, shown: number[], row: (number | null)[] | null): string {
    if (!row) return 'outside';
    if (item.raster.content === 'classes')
        return item.raster.legend?.find((entry) => entry.value === row[0])?.name ?? (row[0] === null ? 'nodata' : 'unlabelled');
    if (item.raster.content === 'segments') return row[0] ? `segment ${row[0]}` : 'no segment';
    return shown.map((band) => reading(row[band - 1], item.raster.bands[band - 1]?.unit)).join(' · ');
}

let round = 0;
watchThrottled(
    place,
    async () => {
        const mine = ++round;
        const at = place.value;
        if (!at) return (values.value = {});
        const next: Record<string, string> = {};
        for (const side of ['a', 'b'] as const) {
            const look = bench.views.looks[side].value;
            for (const over of [false, true]) {
                const item = itemOf(side, over);
                if (!item) continue;
                try {
                    const [row] = await must(api.GET('/items/{item}/values', { params: { path: { item: item.id }, query: { points: at.join(',') } } }));
                    const shown = look.single || !look.bands ? [Math.min(look.band, item.raster.bands.length)] : look.bands;
                    next[side] = [next[side], text(item, shown, row ?? null)].filter(Boolean).join(' · ');
                } catch {
                    // the line tells what it can
                }
            }
        }
        if (place.value && mine === round) values.value = next;
    },
    { throttle: 120, trailing: true },
);
</script>

<template>
    <p class="figures flex h-7 items-center gap-5 overflow-hidden whitespace-nowrap px-3 text-ink-2" aria-live="off" data-cursor-line>
        <template v-if="place">
            <span
                >E <b class="font-normal text-ink">{{ formatMetres(place[0]) }}</b> N <b class="font-normal text-ink">{{ formatMetres(place[1]) }}</b></span
            >
            <span v-if="degrees">{{ formatDegrees(degrees) }}</span>
            <span v-if="pixel"
                >row <b class="font-normal text-ink">{{ pixel.row }}</b> col <b class="font-normal text-ink">{{ pixel.col }}</b></span
            >
            <span v-if="sizes.length" data-pixel-size
                >pixel <b class="font-normal text-ink">{{ sizes.join(', ') }}</b></span
            >
            <span v-for="side in ['a', 'b'] as const" v-show="values[side]" :key="side"
                >{{ side.toUpperCase() }} <b class="font-normal text-ink">{{ values[side] }}</b></span
            >
        </template>
        <span v-else class="font-sans">Point at a view to read it; P drops a peg.</span>
    </p>
</template>
