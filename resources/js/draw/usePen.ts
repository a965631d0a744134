import type OlMap from 'ol/Map';
import Feature from 'ol/Feature';
import GeoJSON from 'ol/format/GeoJSON';
import { Polygon, type Geometry, type SimpleGeometry } from 'ol/geom';
import Draw, { type Options } from 'ol/interaction/Draw';
import { noModifierKeys, primaryAction, shiftKeyOnly } from 'ol/events/condition';
import type Interaction from 'ol/interaction/Interaction';
import Modify from 'ol/interaction/Modify';
import PointerInteraction from 'ol/interaction/Pointer';
import { unByKey } from 'ol/Observable';
import { onBeforeUnmount, shallowRef, watch } from 'vue';
import type { Mark } from '../api/client';
import type { Bench } from '../bench/useBench';
import { findItem } from '../views/look';
import { pixelCorner, type Place } from '../views/geo';
import type { Side } from '../views/useViews';
import { cornerStyle, sketchStyle } from '../views/vectors/styles';
import { box, moved, nearest, without, type Plain } from './corners';
import PixelSnap from './PixelSnap';
import type { Shape } from './tool';

const format = new GeoJSON();
const plain = (geometry: Geometry) => format.writeGeometryObject(geometry) as unknown as Plain;

const options: Record<Shape, Options> = {
    point: { type: 'Point' },
    line: { type: 'LineString' },
    polygon: { type: 'Polygon' },
    free: { type: 'Polygon' },
    // two corners make a box, whether they come from the mouse or the keys
    box: {
        type: 'LineString',
        maxPoints: 2,
        geometryFunction: (coordinates, geometry) => {
            const [from, to] = [coordinates[0], coordinates[coordinates.length - 1]] as [Place | undefined, Place | undefined];
            const polygon = (geometry ?? new Polygon([])) as Polygon;
            polygon.setCoordinates(from && to ? [box(from, to)] : []);
            return polygon;
        },
    },
};

/** Drawing and changing in one view, by OpenLayers' interactions and by the keys: Enter does in the middle what a click does under the mouse. */
export function usePen(bench: Bench, side: Side, map: OlMap) {
    const { drawing, store, views } = bench;
    const { view } = views.shared;
    let interactions: Interaction[] = [];
    let draw: Draw | null = null;
    /** A corner on its way: it stays in the middle while the picture moves. */
    const carried = shallowRef<{ mark: Mark; feature: Feature; path: number[] | null; before: Geometry; from: Place } | null>(null);
    /** The place of the first corner of a box that is drawn by the keys. */
    let first: Place | null = null;

    function corner(place: Place): Place {
        const study = store.study.value;
        const look = views.looks[side].value;
        const item = drawing.snap.value && study ? (findItem(study, look.over, store.trials.value) ?? findItem(study, look.source, store.trials.value)) : null;
        return item ? pixelCorner(item.raster, place) : place;
    }
    const middle = (): Place => corner(view.getCenter() as Place);
    const reach = (pixels: number) => pixels * (view.getResolution() ?? 1);

    function rearm(): void {
        setBack();
        for (const one of interactions) map.removeInteraction(one);
        interactions = [];
        draw = null;
        first = null;
        if (drawing.sketch.value?.side === side) drawing.sketch.value = null;
        const tool = drawing.tool.value;
        if (tool?.does === 'draw') interactions.push((draw = drawFor(tool.shape)));
        // a corner or a side counts before the whole
        if (tool?.does === 'change') interactions.push(whole(tool.of), modify(tool.of));
        if (tool && tool.does !== 'peg' && drawing.snap.value) interactions.push(new PixelSnap(corner));
        for (const one of interactions) map.addInteraction(one);
    }

    function drawFor(shape: Shape): Draw {
        const isFree = shape === 'free';
        const made = new Draw({
            ...options[shape],
            style: sketchStyle,
            stopClick: true,
            // with space held the picture moves, and nothing is drawn
            condition: (event) => !drawing.isMoving.value && !isFree && noModifierKeys(event),
            freehandCondition: (event) => !drawing.isMoving.value && (isFree || (shape === 'polygon' && shiftKeyOnly(event))),
        });
        made.on('drawstart', ({ feature }) => {
            const geometry = feature.getGeometry()!;
            const tell = () => (drawing.sketch.value = { side, geometry: geometry.clone() });
            const listening = geometry.on('change', tell);
            made.once(['drawend', 'drawabort'] as never, () => unByKey(listening));
            tell();
        });
        made.on('drawabort', () => (drawing.sketch.value = null));
        made.on('drawend', ({ feature }) => finish(plain(thinned(feature.getGeometry() as SimpleGeometry, shape))));
        return made;
    }

    /** What can't be kept is there again, so that the corner at fault can be taken back. */
    function finish(geometry: Plain): void {
        drawing.sketch.value = null;
        first = null;
        const mine = draw;
        void drawing.finish(geometry).then((isKept) => {
            if (!isKept && draw === mine && geometry.type === 'Polygon') mine?.appendCoordinates((geometry.coordinates as Place[][])[0]!.slice(0, -1));
        });
    }

    /** What was drawn freely has a corner for each move of the hand: those that make no difference on the screen go. */
    function thinned(geometry: SimpleGeometry, shape: Shape): Geometry {
        return shape === 'free' ? geometry.simplify(0.7 * reach(1)) : geometry;
    }

    function modify(of: number): Modify {
        const made = new Modify({
            source: drawing.sourceOf(of),
            style: cornerStyle,
            pixelTolerance: 8,
            condition: (event) => !drawing.isMoving.value && primaryAction(event),
        });
        made.on('modifyend', ({ features }) => {
            for (const feature of features.getArray()) {
                const mark = markOf(of, feature as Feature);
                const geometry = plain((feature as Feature).getGeometry()!);
                if (mark && JSON.stringify(geometry.coordinates) !== JSON.stringify(mark.geometry?.coordinates)) void keep(mark, geometry, feature as Feature);
            }
        });
        return made;
    }

    /** An area as a whole, by what lies inside of it. */
    function whole(of: number): PointerInteraction {
        let held: { feature: Feature; mark: Mark; before: SimpleGeometry; last: Place } | null = null;
        return new PointerInteraction({
            handleDownEvent(event) {
                const feature = drawing.sourceOf(of).getFeaturesAtCoordinate(event.coordinate)[0] as Feature | undefined;
                const mark = feature && markOf(of, feature);
                if (!mark || drawing.isMoving.value || !primaryAction(event)) return false;
                held = { feature: feature!, mark, before: feature!.getGeometry()!.clone() as SimpleGeometry, last: event.coordinate as Place };
                return true;
            },
            handleDragEvent(event) {
                const [x, y] = event.coordinate as Place;
                held!.feature.getGeometry()!.translate(x - held!.last[0], y - held!.last[1]);
                held!.last = [x, y];
            },
            handleUpEvent() {
                const { feature, mark, before } = held!;
                held = null;
                const geometry = plain(feature.getGeometry()!);
                if (JSON.stringify(geometry.coordinates) !== JSON.stringify(plain(before).coordinates)) void keep(mark, geometry, feature, 'moved');
                return false;
            },
        });
    }

    const markOf = (of: number, feature: Feature) => drawing.marks.get(of)?.find((mark) => mark.key === feature.getId());

    /** Other corners for a mark; it looks as it did where they can't be had. */
    async function keep(mark: Mark, geometry: Plain, feature: Feature, what = 'corner moved'): Promise<void> {
        if (!(await drawing.change(mark, { geometry }, `mark ${mark.number}: ${what}`)))
            feature.setGeometry(format.readGeometry(mark.geometry) as SimpleGeometry);
    }

    function addCorner(place: Place): void {
        const tool = drawing.tool.value;
        if (tool?.does !== 'draw' || !draw) return;
        if (tool.shape === 'point') return finish({ type: 'Point', coordinates: place });
        if (tool.shape === 'box') {
            if (!first) {
                first = place;
                return draw.appendCoordinates([place]);
            }
            const ring = box(first, place);
            draw.abortDrawing();
            return finish({ type: 'Polygon', coordinates: [ring] });
        }
        const set = cornersSet();
        if ((tool.shape === 'polygon' || tool.shape === 'free') && set.length > 2 && Math.hypot(set[0]![0] - place[0], set[0]![1] - place[1]) < reach(8))
            return close();
        draw.appendCoordinates([place]);
    }

    /** Corners of the sketch without the one that follows the mouse. */
    function cornersSet(): Place[] {
        const sketch = drawing.sketch.value;
        if (!sketch) return [];
        const { type, coordinates } = plain(sketch.geometry);
        return type === 'Polygon' ? ((coordinates as Place[][])[0] ?? []).slice(0, -2) : (coordinates as Place[]).slice(0, -1);
    }

    function close(): void {
        const tool = drawing.tool.value;
        if (tool?.does !== 'draw' || !draw) return;
        const least = tool.shape === 'polygon' || tool.shape === 'free' ? 3 : 2;
        if (cornersSet().length < least) store.message.value = `${tool.shape === 'line' ? 'A line needs two' : 'An area needs three'} or more corners.`;
        else draw.finishDrawing();
    }

    /** Enter takes the corner in the middle up, and sets it down again. */
    function carry(of: number): void {
        if (carried.value) {
            const { mark, feature, path } = carried.value;
            carried.value = null;
            return void keep(mark, plain(feature.getGeometry()!), feature, path ? 'corner moved' : 'moved');
        }
        const from = view.getCenter() as Place;
        const found = cornerAt(of, from, 14) ?? areaAt(of, from);
        if (!found) store.message.value = 'No corner or area is in the middle: move the image until one is.';
        else carried.value = { ...found, before: found.feature.getGeometry()!.clone(), from };
    }
    watch([views.shared.moved, carried], () => {
        if (!carried.value) return;
        const { feature, path, before, from } = carried.value;
        if (path) return feature.setGeometry(format.readGeometry(moved(plain(feature.getGeometry()!), path, middle())) as SimpleGeometry);
        const [x, y] = middle();
        const geometry = before.clone();
        geometry.translate(x - from[0], y - from[1]);
        feature.setGeometry(geometry);
    });
    function setBack(): void {
        carried.value?.feature.setGeometry(carried.value.before);
        carried.value = null;
    }

    function cornerAt(of: number, place: Place, pixels: number): { mark: Mark; feature: Feature; path: number[] } | null {
        for (const feature of drawing.sourceOf(of).getFeatures()) {
            const mark = markOf(of, feature);
            const found = mark && nearest(plain(feature.getGeometry()!), place, reach(pixels));
            if (mark && found) return { mark, feature, path: found.path };
        }
        return null;
    }

    /** An area as a whole, where no corner is near. */
    function areaAt(of: number, place: Place): { mark: Mark; feature: Feature; path: null } | null {
        const feature = drawing.sourceOf(of).getFeaturesAtCoordinate(place)[0] as Feature | undefined;
        const mark = feature && markOf(of, feature);
        return mark ? { mark, feature: feature!, path: null } : null;
    }

    /** The corner pointed at goes, else the whole mark. */
    function erase(of: number, place: Place): void {
        setBack();
        const found = cornerAt(of, place, 10);
        const left = found && without(plain(found.feature.getGeometry()!), found.path);
        if (found && left) return void keep(found.mark, left, found.feature);
        const feature = found?.feature ?? drawing.sourceOf(of).getFeaturesAtCoordinate(place)[0];
        const mark = feature && markOf(of, feature as Feature);
        if (mark) void drawing.removeMark(of, mark);
        else store.message.value = 'Nothing to remove there.';
    }

    /** Keys of the view in focus. Whether it was one of ours. */
    function press(event: KeyboardEvent): boolean {
        const tool = drawing.tool.value;
        if (event.key === 'Enter' && tool?.does === 'peg') void bench.pegs.add(...(view.getCenter() as Place));
        else if (event.key === 'Enter' && tool?.does === 'draw') (event.shiftKey ? close : () => addCorner(middle()))();
        else if (event.key === 'Enter' && tool?.does === 'change') carry(tool.of);
        else if (event.key === 'Delete' && tool?.does === 'change') erase(tool.of, views.shared.cursor.value ?? (view.getCenter() as Place));
        else return false;
        return true;
    }

    watch([drawing.tool, drawing.snap], rearm, { immediate: true });
    drawing.hands.set(side, { back: () => draw?.removeLastPoint(), leave: () => (draw?.abortDrawing(), setBack()) });
    onBeforeUnmount(() => drawing.hands.delete(side));

    return { press, carried };
}
