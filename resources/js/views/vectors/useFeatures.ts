import { watchDebounced } from '@vueuse/core';
import Feature from 'ol/Feature';
import GeoJSON from 'ol/format/GeoJSON';
import type { Geometry } from 'ol/geom';
import VectorSource from 'ol/source/Vector';
import { shallowReactive, type Ref } from 'vue';
import { api, must } from '../../api/client';
import type { SharedView } from '../useSharedView';

const format = new GeoJSON();

interface Loaded {
    box: [number, number, number, number];
    pixel: number;
    inside: number;
    shown: number;
}

/** Features of items, fetched for what is visible and a margin around it, as fine as the views need them. */
export function useFeatures(shared: SharedView, wanted: Ref<number[]>) {
    const sources = new Map<number, VectorSource>();
    const loaded = shallowReactive(new Map<number, Loaded>());
    const asked = new Map<number, number>();

    function sourceOf(item: number): VectorSource {
        let source = sources.get(item);
        if (!source) sources.set(item, (source = new VectorSource()));
        return source;
    }

    /** Whether what is here does for what is visible. */
    function isEnough(has: Loaded | undefined, [west, south, east, north]: number[], pixel: number): boolean {
        if (!has || has.pixel > pixel * 1.01) return false;
        const [w, s, e, n] = has.box;
        return west! >= w && south! >= s && east! <= e && north! <= n && (has.shown === has.inside || has.pixel > pixel / 3);
    }

    async function load(item: number): Promise<void> {
        const visible = shared.visible();
        const pixel = shared.view.getResolution() ?? 1;
        if (isEnough(loaded.get(item), visible, pixel)) return;
        const [dx, dy] = [(visible[2] - visible[0]) / 2, (visible[3] - visible[1]) / 2];
        const box: Loaded['box'] = [visible[0] - dx, visible[1] - dy, visible[2] + dx, visible[3] + dy];
        const mine = (asked.get(item) ?? 0) + 1;
        asked.set(item, mine);
        try {
            const found = await must(api.GET('/items/{item}/features', { params: { path: { item }, query: { box: box.join(','), pixel } } }));
            if (asked.get(item) !== mine) return;
            const source = sourceOf(item);
            source.clear();
            source.addFeatures(
                found.features.map((one) => {
                    // attributes keep names that a feature has for itself
                    const feature = new Feature(format.readGeometry(one.geometry) as Geometry);
                    feature.setId(one.id);
                    feature.set('told', one.properties);
                    feature.set('class', one.properties.class ?? one.properties.label ?? null);
                    return feature;
                }),
            );
            loaded.set(item, { box, pixel, inside: found.inside, shown: found.features.length });
        } catch {
            // an item that was made anew in the meantime: the next state of the study brings the new one
        }
    }

    watchDebounced(
        [wanted, shared.moved, shared.size],
        () => {
            for (const item of wanted.value) void load(item);
        },
        { debounce: 120, immediate: true, maxWait: 600 },
    );

    return { sourceOf, loaded };
}

export type FeatureStore = ReturnType<typeof useFeatures>;
