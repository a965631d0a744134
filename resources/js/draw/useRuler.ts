import { watchThrottled } from '@vueuse/core';
import GeoJSON from 'ol/format/GeoJSON';
import { computed, shallowRef } from 'vue';
import { api, must, type Measured, type RasterItem } from '../api/client';
import type { Bench } from '../bench/useBench';
import type { Place } from '../views/geo';
import { findItem } from '../views/look';
import type { Plain } from './corners';
import { isRuler } from './tool';

const format = new GeoJSON();

/** What the ruler says while it is laid, and when it lies: on the ground, and in the pixels of what each view shows. */
export function useRuler(bench: Bench) {
    const { drawing, store, views } = bench;
    const told = shallowRef<Measured | null>(null);

    const line = computed<Plain | null>(() => {
        if (!isRuler(drawing.tool.value)) return null;
        const sketch = drawing.sketch.value;
        return sketch ? (format.writeGeometryObject(sketch.geometry) as unknown as Plain) : drawing.measured.value;
    });
    const places = computed<Place[]>(() => {
        if (!line.value) return [];
        const { type, coordinates } = line.value;
        const all = (type === 'Polygon' ? ((coordinates as Place[][])[0] ?? []).slice(0, -1) : coordinates) as Place[];
        return all.filter((place, i) => i === 0 || place[0] !== all[i - 1]![0] || place[1] !== all[i - 1]![1]);
    });
    const items = computed(() => {
        const found = (['a', 'b'] as const).map((side) => ({
            side,
            item: store.study.value ? (findItem(store.study.value, views.looks[side].value.source, store.trials.value) as RasterItem | null) : null,
        }));
        return found.filter((one): one is { side: 'a' | 'b'; item: RasterItem } => one.item !== null && (one.side === 'a' || !views.single.value));
    });

    let round = 0;
    watchThrottled(
        [places, items],
        async () => {
            const mine = ++round;
            if (places.value.length < 2) return (told.value = null);
            const body = { places: places.value, ring: line.value?.type === 'Polygon', items: items.value.map(({ item }) => item.id) };
            try {
                const now = await must(api.POST('/studies/{study}/measure', { params: { path: { study: bench.id } }, body }));
                if (mine === round) told.value = now;
            } catch {
                if (mine === round) told.value = null;
            }
        },
        { throttle: 100, trailing: true, immediate: true },
    );
    const rows = computed(() =>
        items.value.flatMap(({ side, item }) => {
            const pixels = told.value?.items.find((one) => one.id === item.id);
            return pixels && pixels.columns !== null ? [{ side, item, ...pixels }] : [];
        }),
    );

    return { told, rows };
}
