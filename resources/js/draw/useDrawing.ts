import { useLocalStorage } from '@vueuse/core';
import Feature from 'ol/Feature';
import GeoJSON from 'ol/format/GeoJSON';
import type { Geometry } from 'ol/geom';
import VectorSource from 'ol/source/Vector';
import { computed, shallowReactive, shallowRef, watch } from 'vue';
import { api, must, type Drawing, type Mark } from '../api/client';
import type { StudyStore } from '../bench/useStudy';
import type { Place } from '../views/geo';
import type { Side, Views } from '../views/useViews';
import type { Plain } from './corners';
import { actsSoFar, forgetMade, perform, type MarkAct } from './acts';
import { drawingOf, isRuler, sameTool, shapeNames, type Tool } from './tool';

/** What a view does for the one drawing that both share. */
export interface Hand {
    back: () => void;
    leave: () => void;
}

const format = new GeoJSON();

/** All that people draw in the views: the tool in hand, the drawings with their marks, and what is done to them; everything can be undone. */
export function useDrawing(id: number, store: StudyStore, views: Views) {
    const tool = shallowRef<Tool | null>(null);
    /** Whether corners fall on those of pixels. */
    const snap = useLocalStorage('draw/snap', false);
    /** What is being drawn, and in which view. */
    const sketch = shallowRef<{ side: Side; geometry: Geometry } | null>(null);
    /** What the ruler lies along. */
    const measured = shallowRef<Plain | null>(null);
    /** Space is held: the picture moves whatever is in hand. */
    const isMoving = shallowRef(false);
    const hands = new Map<Side, Hand>();
    const marks = shallowReactive(new Map<number, Mark[]>());
    const sources = new Map<number, VectorSource>();
    /** The drawing whose marks are listed. */
    const opened = shallowRef<number | null>(null);

    const drawings = computed<Drawing[]>(() => store.study.value?.drawings ?? []);
    const area = computed(() => drawings.value.find((one) => one.name === 'area' && one.step === null) ?? null);
    const own = computed(() => drawings.value.filter((one) => one.step === null && one !== area.value));
    const byId = (drawing: number) => drawings.value.find((one) => one.id === drawing);
    const called = (one: Drawing) =>
        one.step === null
            ? one === area.value
                ? "the study's area"
                : one.name
            : `${one.name} of ${store.steps.value.find((step) => step.id === one.step)?.number ?? '?'}`;

    function sourceOf(drawing: number): VectorSource {
        let source = sources.get(drawing);
        if (!source) sources.set(drawing, (source = new VectorSource()));
        return source;
    }

    // marks are fetched when someone looks at them, and anew when their stamp says so
    const wanted = computed(() => {
        const ids = new Set<number | null | undefined>([area.value?.id, opened.value, drawingOf(tool.value)]);
        for (const look of [views.looks.a, views.looks.b]) for (const line of look.value.lines) ids.add(line.drawing);
        return drawings.value.filter((one) => ids.has(one.id)).map(({ id: drawing, stamp }) => ({ drawing, stamp }));
    });
    const stamps = new Map<number, number>();
    watch(
        wanted,
        (now) => {
            for (const { drawing, stamp } of now) if (stamps.get(drawing) !== stamp) void load(drawing, stamp);
        },
        { immediate: true },
    );

    async function load(drawing: number, stamp: number): Promise<void> {
        stamps.set(drawing, stamp);
        try {
            const turns = actsSoFar();
            const found = await must(api.GET('/drawings/{drawing}', { params: { path: { drawing } } }));
            if (turns === actsSoFar()) forgetMade([`drawing ${drawing}`, ...found.marks.map((mark) => mark.key)]);
            // one that was asked for later tells more
            if (stamps.get(drawing) === stamp) lay(drawing, found.marks);
        } catch {
            stamps.delete(drawing);
        }
    }

    function lay(drawing: number, list: Mark[]): void {
        marks.set(drawing, list);
        const source = sourceOf(drawing);
        source.clear();
        source.addFeatures(
            list
                .filter((mark) => mark.geometry)
                .map((mark) => {
                    const feature = new Feature(format.readGeometry(mark.geometry) as Geometry);
                    feature.setId(mark.key);
                    feature.setProperties({ number: mark.number, class: mark.class, note: mark.note });
                    return feature;
                }),
        );
    }

    function arm(next: Tool): void {
        tool.value = sameTool(tool.value, next) ? null : next;
        if (!isRuler(tool.value)) measured.value = null;
    }

    /** Nothing in hand any more; what was being drawn goes. */
    function leave(): void {
        for (const hand of hands.values()) hand.leave();
        tool.value = null;
        sketch.value = null;
        measured.value = null;
    }

    /** The last corner of what is being drawn is taken back. */
    function back(): boolean {
        if (!sketch.value) return false;
        hands.get(sketch.value.side)?.back();
        return true;
    }

    /** An area drawn or typed; null takes it away. */
    async function setArea(body: { bounds?: number[]; rings?: Place[][]; file?: { step: number; output?: string } } | null): Promise<boolean> {
        const path = { params: { path: { study: id } } };
        const before = store.study.value!.area?.geometry ?? null;
        const put = (given: object | null) =>
            given === null ? must(api.DELETE('/studies/{study}/area', path)) : must(api.PUT('/studies/{study}/area', { ...path, body: given }));
        const isSet = await store.remember({
            what: body ? 'area set' : 'area removed',
            redo: () => put(body),
            undo: () => put(before && { geometry: before }),
        });
        if (isSet) leave();
        return isSet;
    }

    /** Something done to marks, which can be undone after a reload too. */
    const doActs = (what: string, redo: MarkAct[], undo: MarkAct[]) =>
        store.remember({ what, redo: () => perform(redo, undo), undo: () => perform(undo, redo), kept: { redo, undo } });
    const putBack = (drawing: number, mark: Mark): MarkAct => ({
        does: 'put',
        drawing,
        key: mark.key,
        body: { geometry: mark.geometry as Plain, class: mark.class, note: mark.note },
    });

    /** What was drawn goes where the tool says. */
    async function finish(geometry: Plain): Promise<boolean> {
        if (tool.value?.does !== 'draw') return false;
        const { into, shape, class: name } = tool.value;
        if (into === 'area') return setArea({ rings: geometry.coordinates as Place[][] });
        if (into === 'ruler') return measure(geometry);
        return add(into, geometry, name ?? null, `${shapeNames[shape]} drawn in ${byId(into)?.name}`);
    }

    /** A mark more. */
    function add(drawing: number, geometry: Plain, name: string | null, what: string): Promise<boolean> {
        const key = crypto.randomUUID();
        return doActs(what, [{ does: 'put', drawing, key, body: { geometry, ...(name === null ? {} : { class: name }) } }], [{ does: 'drop', key }]);
    }

    /** Marks that are said to be something else, all at once. */
    function reclass(marks: Mark[], name: string | null, what: string): Promise<boolean> {
        return doActs(
            what,
            marks.map((mark) => ({ does: 'patch', key: mark.key, body: { class: name }, match: mark.stamp })),
            marks.map((mark) => ({ does: 'patch', key: mark.key, body: { class: mark.class } })),
        );
    }

    /** What the ruler was laid along stays in the views until it is put away. */
    function measure(geometry: Plain): Promise<boolean> {
        const before = measured.value;
        const set = (now: Plain | null) => async () => void (measured.value = now);
        return store.remember({ what: 'ruler placed', redo: set(geometry), undo: set(before) });
    }

    /** A mark says something else, or has other corners. */
    async function change(
        mark: Mark,
        body: { geometry?: Plain; class?: string | null; note?: string | null; skipped?: boolean },
        what = 'mark changed',
    ): Promise<boolean> {
        const patch = async (acts: MarkAct[], back: MarkAct[]) => {
            const [now] = await perform(acts, back);
            for (const [drawing, list] of marks)
                if (now && list.some((one) => one.key === now.key))
                    lay(
                        drawing,
                        list.map((one) => (one.key === now.key ? now : one)),
                    );
        };
        const before = Object.fromEntries(Object.keys(body).map((name) => [name, mark[name as keyof Mark]]));
        const redo: MarkAct[] = [{ does: 'patch', key: mark.key, body, match: mark.stamp }];
        const undo: MarkAct[] = [{ does: 'patch', key: mark.key, body: before }];
        return store.remember({ what, redo: () => patch(redo, undo), undo: () => patch(undo, redo), kept: { redo, undo } });
    }

    /** One mark, or several at once. */
    async function removeMarks(drawing: number, list: Mark[], what = `mark ${list[0]?.number} removed`): Promise<void> {
        await doActs(
            what,
            list.map((mark) => ({ does: 'drop', key: mark.key, match: mark.stamp })),
            list.map((mark) => putBack(drawing, mark)),
        );
    }

    /** Other marks in the place of one: as one thing, there and back. */
    function exchange(drawing: number, mark: Mark, geometries: Plain[], name: string | null, what: string): Promise<boolean> {
        const made = geometries.map((geometry) => ({ key: crypto.randomUUID(), body: { geometry, class: name } }));
        // what goes goes last: if something can't be kept nothing is lost
        return doActs(
            what,
            [...made.map((one): MarkAct => ({ does: 'put', drawing, ...one })), { does: 'drop', key: mark.key, match: mark.stamp }],
            [putBack(drawing, mark), ...made.map(({ key }): MarkAct => ({ does: 'drop', key }))],
        );
    }

    const removeMark = (drawing: number, mark: Mark) => removeMarks(drawing, [mark]);

    const seen = (drawing: number) => must(api.GET('/drawings/{drawing}', { params: { path: { drawing } } }));

    async function clear(drawing: number): Promise<void> {
        const { marks: before, stamp: match } = await seen(drawing);
        await doActs(`${before.length} marks removed`, [{ does: 'replace', drawing, marks: [], match }], [{ does: 'replace', drawing, marks: before }]);
    }

    /** Areas of a file join; they go again as one. */
    async function take(drawing: number, upload: string, field: string): Promise<boolean> {
        const { marks: before } = await seen(drawing);
        const after = await store.act(() => must(api.POST('/drawings/{drawing}/from', { params: { path: { drawing } }, body: { upload, field } })));
        if (!after) return false;
        const list = after.marks;
        return doActs(
            `${list.length - before.length} areas imported from a file`,
            [{ does: 'replace', drawing, marks: list, match: after.stamp }],
            [{ does: 'replace', drawing, marks: before }],
        );
    }

    async function create(name: string): Promise<number | null> {
        const made = await store.act(() => must(api.POST('/studies/{study}/drawings', { params: { path: { study: id } }, body: { name } })));
        return made?.id ?? null;
    }

    async function rename(drawing: number, name: string): Promise<void> {
        await store.act(() => must(api.PATCH('/drawings/{drawing}', { params: { path: { drawing } }, body: { name } })));
    }

    /** An empty one only: marks are taken away first, which can be undone. */
    async function remove(drawing: number): Promise<void> {
        const gone = await store.act(async () => (await must(api.DELETE('/drawings/{drawing}', { params: { path: { drawing } } })), true));
        if (!gone) return;
        for (const look of [views.looks.a, views.looks.b]) look.value.lines = look.value.lines.filter((line) => line.drawing !== drawing);
        if (opened.value === drawing) opened.value = null;
    }

    return {
        tool,
        snap,
        sketch,
        measured,
        isMoving,
        hands,
        marks,
        opened,
        drawings,
        area,
        own,
        byId,
        called,
        sourceOf,
        arm,
        leave,
        back,
        setArea,
        finish,
        add,
        reclass,
        change,
        removeMark,
        removeMarks,
        take,
        exchange,
        clear,
        create,
        rename,
        remove,
    };
}

export type DrawingStore = ReturnType<typeof useDrawing>;
