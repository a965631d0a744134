import View from 'ol/View';
import { applyTransform } from 'ol/extent';
import { ref, shallowRef } from 'vue';
import type { Raster } from '../api/client';
import { plane, type Place } from './geo';

/** One place, zoom and cursor for all views: they move together because they share one. */
export function useSharedView() {
    const view = new View({
        projection: plane,
        center: [0, 0],
        resolution: 20,
        minResolution: 1e-6,
        maxResolution: 1e7,
        enableRotation: false,
        smoothResolutionConstraint: false,
    });
    const cursor = shallowRef<Place | null>(null);
    const size = ref<[number, number]>([400, 400]);
    const moved = ref(0);
    view.on('propertychange', () => moved.value++);

    function fit(raster: Raster): void {
        const [x0, x1, x2, y0, y1, y2] = raster.transform as [number, number, number, number, number, number];
        const extent = applyTransform([0, 0, raster.width, raster.height], (flat) => {
            for (let i = 0; i < flat.length; i += 2) {
                const [col, row] = [flat[i]!, flat[i + 1]!];
                flat[i] = x0 + x1 * col + x2 * row;
                flat[i + 1] = y0 + y1 * col + y2 * row;
            }
            return flat;
        });
        view.fit(extent, { size: size.value, padding: [8, 8, 8, 8] });
    }

    /** West, south, east, north of what is visible. */
    function visible(): [number, number, number, number] {
        return view.calculateExtent(size.value) as [number, number, number, number];
    }

    /** A place in the middle, its pixels as large as given in screen pixels. */
    function goTo(place: Place, pixel: number, screen = 10): void {
        view.setCenter(place);
        view.setResolution(pixel / screen);
    }

    return { view, cursor, size, moved, fit, visible, goTo };
}

export type SharedView = ReturnType<typeof useSharedView>;
