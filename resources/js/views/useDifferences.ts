import { computed, ref, shallowRef, watch } from 'vue';
import { api, must, type RasterItem } from '../api/client';
import type { StudyStore } from '../bench/useStudy';
import { findItem } from './look';
import type { Picture } from './RasterLayer';
import type { Side, Views } from './useViews';

export interface Difference {
    one: string;
    other: string;
    pixels: number;
    hectares: number | null;
}

/** Two class maps in A and B: the pixels on which they say the same are dimmed, and counted are those on which they do not. */
export function useDifferences(store: StudyStore, views: Views) {
    const isOn = ref(false);
    const mapOf = (side: Side): RasterItem | null => {
        const look = views.looks[side].value;
        const study = store.study.value;
        const found = study ? [look.over, look.source].map((source) => findItem(study, source, store.trials.value)) : [];
        return found.find((item) => item?.raster.content === 'classes') ?? null;
    };
    const grid = ({ raster }: RasterItem) => JSON.stringify([raster.width, raster.height, raster.transform]);
    const maps = computed(() => {
        const [one, other] = [mapOf('a'), mapOf('b')];
        return one && other && one.id !== other.id && grid(one) === grid(other) ? { one, other } : null;
    });
    const rows = shallowRef<Difference[] | null>(null);
    watch(
        () => (isOn.value && maps.value ? [maps.value.one.id, maps.value.other.id] : null),
        async (now) => {
            rows.value = null;
            if (!now) return;
            const [item, other] = now as [number, number];
            const found = await store.act(() => must(api.GET('/items/{item}/differs/{other}', { params: { path: { item, other } } })));
            if (found && maps.value?.one.id === item && maps.value.other.id === other) rows.value = found;
        },
    );
    /** Codes of the other map by those of the one, where both have a class of one name. */
    const same = (one: RasterItem, other: RasterItem) =>
        Object.fromEntries([
            [0, 0],
            ...(one.raster.legend ?? []).flatMap(({ value, name }) => {
                const found = other.raster.legend?.find((entry) => entry.name === name);
                return found ? [[value, found.value] as const] : [];
            }),
        ]);
    /** What is laid over the map of a side. */
    function over(side: Side): Picture[] {
        if (!isOn.value || !maps.value) return [];
        const { one, other } = maps.value;
        const [mine, theirs] = side === 'a' ? [one, other] : [other, one];
        return [{ item: mine, other: theirs, opacity: 1, style: { kind: 'same', other: theirs.id, codes: same(mine, theirs) } }];
    }
    return { isOn, maps, rows, over };
}
