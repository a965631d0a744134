import { computed, ref } from 'vue';
import { api, must } from '../api/client';
import type { Bench } from '../bench/useBench';
import { percent } from '../plots/format';
import { emptyLook } from '../views/look';

/** Where a map is least sure: as a picture, and place after place. */
export function useUnsure(bench: Bench) {
    const { store, views, desk } = bench;
    const sure = computed(() => {
        const trial = store.trials.value.find((item) => item.output === 'confidence');
        const run = desk.step.value?.items.find((item) => item.output === 'confidence');
        return trial ? { item: trial, step: -1 } : run ? { item: run, step: desk.step.value!.id } : null;
    });
    const found = ref<{ of: number; places: { x: number; y: number; value: number }[]; at: number } | null>(null);

    /** In view B, from not at all to wholly. */
    function show(): void {
        const { lines } = views.looks.b.value;
        const source = { step: sure.value!.step, output: 'confidence' };
        views.looks.b.value = { ...emptyLook(), source, single: true, band: 1, ramp: 'viridis', limits: { 1: [0, 1] }, lines };
    }

    async function next(): Promise<void> {
        const now = sure.value;
        if (!now) return;
        if (found.value?.of !== now.item.id) {
            const places = await store.act(() => must(api.GET('/items/{item}/lowest', { params: { path: { item: now.item.id }, query: { band: 1 } } })));
            found.value = { of: now.item.id, places: places ?? [], at: -1 };
        }
        const { places } = found.value;
        if (!places.length) return;
        found.value.at = (found.value.at + 1) % places.length;
        const place = places[found.value.at]!;
        views.shared.view.setCenter([place.x, place.y]);
        store.message.value = `Sure to ${percent(place.value, 0)} here: draw an area of what it is.`;
    }

    return { sure, show, next };
}
