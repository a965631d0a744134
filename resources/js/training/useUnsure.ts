import { computed, ref } from 'vue';
import { api, must } from '../api/client';
import type { Bench } from '../bench/useBench';
import { number, percent } from '../plots/format';
import { emptyLook } from '../views/look';

/** Where a map is least sure: as a picture, and place after place. */
export function useUnsure(bench: Bench) {
    const { store, views, desk } = bench;
    const sure = computed(() => {
        const trial = store.trials.value.find((item) => item.output === 'confidence');
        const run = desk.step.value?.items.find((item) => item.output === 'confidence');
        return trial ? { item: trial, step: -1 } : run ? { item: run, step: desk.step.value!.id } : null;
    });
    const found = ref<{ of: number; band: number; places: { x: number; y: number; value: number }[]; at: number } | null>(null);

    /** How sure a class is, and by some methods how near it lies. */
    const bands = computed(() => sure.value?.item.raster?.bands.map((one) => one.label) ?? []);
    const band = ref(1);
    /** A distance or an angle is worst where it is highest, all else where it is lowest. */
    const isFar = computed(() => /distance|angle/.test(bands.value[band.value - 1] ?? ''));

    /** In view B; what is a share from not at all to wholly. */
    function show(which: number): void {
        band.value = which;
        const { lines } = views.looks.b.value;
        const source = { step: sure.value!.step, output: 'confidence' };
        const limits: Record<number, [number, number]> = isFar.value ? {} : { [which]: [0, 1] };
        views.looks.b.value = { ...emptyLook(), source, single: true, band: which, ramp: isFar.value ? 'magma' : 'viridis', limits, lines };
    }

    async function next(): Promise<void> {
        const now = sure.value;
        if (!now) return;
        if (found.value?.of !== now.item.id || found.value.band !== band.value) {
            const query = { band: band.value, of: isFar.value ? ('highest' as const) : ('lowest' as const) };
            const places = await store.act(() => must(api.GET('/items/{item}/lowest', { params: { path: { item: now.item.id }, query } })));
            found.value = { of: now.item.id, band: band.value, places: places ?? [], at: -1 };
        }
        const { places } = found.value;
        if (!places.length) return;
        found.value.at = (found.value.at + 1) % places.length;
        const place = places[found.value.at]!;
        views.shared.view.setCenter([place.x, place.y]);
        const value = isFar.value ? number(place.value) : percent(place.value, 0);
        store.message.value = `${bands.value[band.value - 1]} ${value} here: draw an area of its true class.`;
    }

    return { sure, bands, show, next };
}
