import Feature from 'ol/Feature';
import GeoJSON from 'ol/format/GeoJSON';
import { LineString, MultiLineString, Polygon, type Geometry } from 'ol/geom';
import VectorLayer from 'ol/layer/Vector';
import type OlMap from 'ol/Map';
import VectorSource from 'ol/source/Vector';
import { computed, shallowRef, watch, type Ref } from 'vue';
import type { Bench } from '../../bench/useBench';
import { drawingOf } from '../../draw/tool';
import type { Place } from '../geo';
import type { Arrow, Side } from '../useViews';
import { areaStyle, arrowStyle, lineStyle, newLine, pointedStyle, sketchStyle } from './styles';

const format = new GeoJSON();

/** A feature of a layer that someone points at. */
export interface Pointed {
    feature: Feature;
    label: string;
}

/**
 * The layers of points and lines of one view, from the ground up: items and drawings, the area, arrows, what is framed, what is being drawn in the
 * other view, what is pointed at.
 */
export function useVectorLayers(bench: Bench, side: Side, map: OlMap, at: Ref<Place | null>) {
    const { drawing, vectors, views } = bench;
    const own = new VectorSource();
    const sketch = new VectorSource();
    const ruler = new VectorSource();
    const marked = new VectorSource();
    const area = new VectorLayer({ style: areaStyle, zIndex: 20 });
    const layers = shallowRef<{ layer: VectorLayer; label: string }[]>([]);
    for (const layer of [
        area,
        new VectorLayer({
            source: own,
            style: (feature, resolution) => (feature.get('used') === undefined ? pointedStyle : arrowStyle(feature, resolution)),
            zIndex: 30,
        }),
        new VectorLayer({ source: ruler, style: sketchStyle, zIndex: 35 }),
        new VectorLayer({ source: sketch, style: sketchStyle, zIndex: 40 }),
        new VectorLayer({ source: marked, style: pointedStyle, zIndex: 50 }),
    ])
        map.addLayer(layer);

    // a drawing that is drawn into, or whose marks are listed, is seen whatever the caption says
    const lines = computed(() => {
        const shown = [...views.looks[side].value.lines];
        for (const id of [drawingOf(drawing.tool.value), drawing.opened.value]) {
            if (id !== null && id !== drawing.area.value?.id && !shown.some((line) => line.drawing === id)) shown.push(newLine({ source: null, drawing: id }));
        }
        return shown;
    });
    watch(
        [lines, vectors.candidates, () => bench.store.study.value?.legend],
        () => {
            for (const { layer } of layers.value) map.removeLayer(layer);
            layers.value = lines.value.flatMap((line, i) => {
                const source = vectors.sourceOf(line);
                return source
                    ? [{ layer: new VectorLayer({ source, style: lineStyle(line, vectors.colourOf), zIndex: 1 + i }), label: vectors.labelOf(line) }]
                    : [];
            });
            for (const { layer } of layers.value) map.addLayer(layer);
        },
        { immediate: true, deep: true },
    );

    watch(
        [() => drawing.area.value?.id, drawing.tool],
        () => {
            area.setSource(drawing.area.value ? drawing.sourceOf(drawing.area.value.id) : null);
            // while another one is drawn, the old one does not lie under it
            area.setVisible(!(drawing.tool.value?.does === 'draw' && drawing.tool.value.into === 'area'));
        },
        { immediate: true },
    );

    watch(drawing.sketch, (now) => {
        sketch.clear();
        if (now && now.side !== side) sketch.addFeature(new Feature(now.geometry));
    });

    watch(
        [drawing.measured, bench.training.over],
        ([now, over]) => {
            ruler.clear();
            if (now) ruler.addFeature(new Feature(format.readGeometry(now) as Geometry));
            ruler.addFeatures(over.map((geometry) => new Feature(geometry)));
        },
        { immediate: true },
    );

    watch(
        [views.arrows, views.framed, views.tried, views.shared.moved],
        ([arrows, framed, tried]) => {
            own.clear();
            const resolution = views.shared.view.getResolution() ?? 1;
            own.addFeatures(arrows.map((one) => new Feature({ geometry: arrow(one, resolution), used: one.used })));
            if (tried) own.addFeature(new Feature(new Polygon([[...tried, tried[0]!]])));
            if (framed) own.addFeature(new Feature(square([framed.x, framed.y], Math.max(9 * resolution, framed.pixel) / 2 + 2 * resolution)));
        },
        { immediate: true },
    );

    /** What lies under the mouse, or in the middle of a view that the keys move. */
    const pointed = computed<Pointed | null>(() => {
        void views.shared.moved.value;
        if (!at.value || drawing.tool.value?.does === 'draw') return null;
        const reach = 6 * (views.shared.view.getResolution() ?? 1);
        for (const { layer, label } of [...layers.value].reverse()) {
            const source = layer.getSource();
            const feature: Feature | null | undefined = source?.getClosestFeatureToCoordinate(at.value, isThin);
            const near = feature?.getGeometry()?.getClosestPoint(at.value);
            if (feature && near && Math.hypot(near[0]! - at.value[0], near[1]! - at.value[1]) <= reach) return { feature, label };
            const inside = source?.getFeaturesAtCoordinate(at.value)[0];
            if (inside) return { feature: inside as Feature, label };
        }
        return null;
    });
    watch(pointed, (now) => {
        marked.clear();
        if (now) marked.addFeature(new Feature(now.feature.getGeometry()));
    });

    return { pointed };
}

/** A point or a line: it is pointed at from nearby. */
const isThin = (feature: Feature) => !/Polygon$/.test(feature.getGeometry()?.getType() ?? '');

/** A residual of a pixel is fifty long on the screen, with a head at its end; nothing is longer than that. */
function arrow({ x, y, columns, rows }: Arrow, resolution: number): MultiLineString {
    const length = Math.hypot(columns, rows);
    const factor = 50 * resolution * Math.min(1, 1 / Math.max(1e-9, length));
    const [u, v] = [columns * factor, -rows * factor];
    const [a, b] = [x + u, y + v];
    const head = Math.min(5 * resolution, Math.hypot(u, v) / 2);
    const angle = Math.atan2(v, u);
    const barb = (turn: number) =>
        new LineString([
            [a, b],
            [a - head * Math.cos(angle + turn), b - head * Math.sin(angle + turn)],
        ]);
    return new MultiLineString([
        new LineString([
            [x, y],
            [a, b],
        ]),
        barb(0.5),
        barb(-0.5),
    ]);
}

function square([x, y]: Place, half: number): Polygon {
    return new Polygon([
        [
            [x - half, y - half],
            [x + half, y - half],
            [x + half, y + half],
            [x - half, y + half],
            [x - half, y - half],
        ],
    ]);
}
