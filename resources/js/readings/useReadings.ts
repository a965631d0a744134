import { computed, shallowRef, watch } from 'vue';
import { api, must, type Peg } from '../api/client';
import { queries } from '../api/queries';
import type { Bench } from '../bench/useBench';
import { findItem, itemLabel, rasterSources, sameSource, type Source } from '../views/look';
import type { RasterItem } from '../api/client';

export interface Reading {
    source: Source;
    item: RasterItem;
    label: string;
    /** by peg, then band; null outside and at nodata */
    values: Map<number, (number | null)[] | null>;
}

/** The values of all pegs in what the views show, segments first, and in the items that were pinned; with none pinned, in every other segmentation too. */
export function useReadings(bench: Bench) {
    const sources = computed<Source[]>(() => {
        const shown = [...bench.views.inView(), ...bench.views.pinned.value];
        const found: Source[] = [];
        const study = bench.store.study.value;
        const isSegments = (source: Source | null) => findItem(study!, source, bench.store.trials.value)?.raster.content === 'segments';
        const others = bench.views.pinned.value.length || !study ? [] : rasterSources(study).filter(({ item }) => item.raster.content === 'segments');
        const segments = study ? shown.filter(isSegments) : [];
        for (const source of [...segments, ...shown, ...others.map((one) => one.source)]) {
            if (
                source &&
                bench.store.study.value &&
                findItem(bench.store.study.value, source, bench.store.trials.value) &&
                !found.some((one) => sameSource(one, source))
            )
                found.push(source);
        }
        return found;
    });
    const readings = shallowRef<Reading[]>([]);
    let round = 0;
    watch(
        [sources, () => bench.store.study.value, bench.store.trials],
        async () => {
            const mine = ++round;
            const study = bench.store.study.value;
            if (!study) return;
            const next: Reading[] = [];
            for (const source of sources.value) {
                const item = findItem(study, source, bench.store.trials.value);
                if (!item) continue;
                const label = itemLabel(
                    study.steps.find((step) => step.id === source.step),
                    source.output,
                );
                next.push({ source, item, label, values: await valuesAt(item, study.pegs) });
            }
            if (mine === round) readings.value = next;
        },
        { immediate: true },
    );
    return { sources, readings };
}

/** Items never change, so what was read once at a place stays. */
export async function valuesAt(item: RasterItem, pegs: Peg[]): Promise<Map<number, (number | null)[] | null>> {
    const key = (peg: Peg) => ['value', item.id, peg.x, peg.y];
    const missing = pegs.filter((peg) => queries.getQueryData(key(peg)) === undefined);
    if (missing.length) {
        const points = missing.map((peg) => `${peg.x},${peg.y}`).join(';');
        try {
            const values = await must(api.GET('/items/{item}/values', { params: { path: { item: item.id }, query: { points } } }));
            missing.forEach((peg, i) => queries.setQueryData(key(peg), values[i] ?? null));
        } catch {
            // the item was made anew meanwhile
        }
    }
    return new Map(pegs.map((peg) => [peg.id, queries.getQueryData<(number | null)[]>(key(peg)) ?? null]));
}
