import { useLocalStorage, watchDebounced } from '@vueuse/core';
import { MultiPoint, Polygon, type Geometry } from 'ol/geom';
import { computed, ref, shallowRef, watch } from 'vue';
import { setLegend } from '../bench/legend';
import { api, must, type Drawing, type Inputs, type Mark, type Problem, type Settings } from '../api/client';
import type { components } from '../api/schema';
import type { Desk, Draft } from '../bench/useDesk';
import type { StudyStore } from '../bench/useStudy';
import type { Plain } from '../draw/corners';
import type { DrawingStore } from '../draw/useDrawing';
import type { Place } from '../views/geo';
import type { Views } from '../views/useViews';
import { outline, type Pixels } from './outline';

type Told = components['schemas']['Training'];
export type TrainingClass = components['schemas']['TrainingClass'];

/** What a drawing of training areas is called, followed by a number where there are several. */
const NAME = 'training areas';
/** The first drawing among some that is one of training areas by its name. */
export const trainingAmong = (drawings: Drawing[]): Drawing | null => drawings.find((one) => one.name.startsWith(NAME)) ?? null;
export function trainingName(names: Set<string>): string {
    let name = NAME;
    for (let i = 2; names.has(name); i++) name = `${NAME} ${i}`;
    return name;
}

/** How like a pixel has to be to join at first, in deviations. */
const LIKENESS = 2.5;
/** Pixels that what is left of an area has at least. */
const CRUMB = 5;

function bytes(text: string): ArrayBuffer {
    return Uint8Array.from(atob(text), (one) => one.charCodeAt(0)).buffer;
}
const pixelsOf = (told: { corner: number[]; column: number[]; row: number[]; width: number; pixels: string }): Pixels => ({
    corner: told.corner as Place,
    column: told.column as Place,
    row: told.row as Place,
    width: told.width,
    pixels: new Uint32Array(bytes(told.pixels)),
});

/** What has grown from a seed, and how far it is let. */
interface Growth {
    pixels: Pixels;
    levels: Float32Array;
    class: string;
    into: number;
}

/** Training areas as they are drawn: their classes, what they say, and areas that the images draw by themselves. */
export function useTraining(id: number, store: StudyStore, views: Views, desk: Desk, drawing: DrawingStore) {
    const isOpen = computed(() => desk.kind.value?.desk.evidence.some((one) => one.name === 'training') ?? false);
    const draft = computed<Draft>(
        () =>
            desk.drafts.value[desk.draftKey()] ?? {
                inputs: (desk.step.value?.inputs ?? {}) as Inputs,
                settings: (desk.step.value?.settings ?? {}) as Settings,
                within: false,
            },
    );
    const areas = computed(() => (isOpen.value ? (drawing.byId(draft.value.inputs.areas?.drawing ?? -1) ?? null) : null));
    const marks = computed<Mark[]>(() => (areas.value ? (drawing.marks.get(areas.value.id) ?? []) : []));
    const hasImages = computed(() => Object.keys(draft.value.inputs).some((name) => name.startsWith('images')));
    /** What a question about the areas is asked with. */
    const asked = computed(() => ({ kind: desk.kind.value?.id ?? '', inputs: draft.value.inputs, settings: draft.value.settings }));

    // the areas are seen while they lie on the desk
    watch(
        areas,
        (now, was) => {
            if (now) drawing.opened.value = now.id;
            else if (was && drawing.opened.value === was.id) drawing.opened.value = null;
        },
        { immediate: true },
    );

    /** Classes that were added and have no area yet, by drawing. */
    const planned = useLocalStorage<Record<number, string[]>>(`training/${id}`, {});
    const named = computed(() => [...new Set(marks.value.flatMap((mark) => (mark.class ? [mark.class] : [])))]);
    const classes = computed<string[]>(() => {
        const mine = areas.value ? (planned.value[areas.value.id] ?? []) : [];
        return [...named.value, ...mine.filter((name) => !named.value.includes(name))];
    });
    const current = ref<string | null>(null);
    watch(classes, (now) => {
        if (current.value === null || !now.includes(current.value)) current.value = now[now.length - 1] ?? null;
    });
    const colourOf = (name: string) => store.study.value?.legend.find((one) => one.name === name)?.colour ?? '#888888';
    const marksOf = (name: string) => marks.value.filter((mark) => mark.class === name);

    // classes that come with areas join the legend of the study, with a colour that their name suggests
    watch(named, (now) => {
        const known = new Set(store.study.value?.legend.map((one) => one.name));
        const fresh = now.filter((name) => !known.has(name));
        if (fresh.length && isOpen.value) void meet({ names: fresh });
    });
    async function meet(body: { names?: string[]; published?: string; upload?: string }): Promise<string[]> {
        const answer = await store.act(() => must(api.POST('/studies/{study}/legend', { params: { path: { study: id } }, body })));
        return answer?.names ?? [];
    }
    /** Classes more: by name, of a published legend, or of a file. */
    async function plan(body: { names?: string[]; published?: string; upload?: string }): Promise<void> {
        if (!areas.value) return;
        const names = await meet(body);
        const had = planned.value[areas.value.id] ?? [];
        planned.value = { ...planned.value, [areas.value.id]: [...had, ...names.filter((name) => !had.includes(name))] };
        current.value = names[0] ?? current.value;
    }
    async function recolour(name: string, colour: string): Promise<void> {
        const was = store.study.value!.legend;
        const next = was.some((one) => one.name === name) ? was.map((one) => (one.name === name ? { ...one, colour } : one)) : [...was, { name, colour }];
        await setLegend(store, id, `the colour of ${name}`, next);
    }
    async function rename(name: string, to: string): Promise<void> {
        const wanted = to.trim();
        if (!wanted || wanted === name || !areas.value) return;
        await meet({ names: [wanted] });
        forget(name);
        if (marksOf(name).length) await drawing.reclass(marksOf(name), wanted, `${name} called ${wanted}`);
        else await plan({ names: [wanted] });
        current.value = wanted;
    }
    function forget(name: string): void {
        if (areas.value) planned.value = { ...planned.value, [areas.value.id]: (planned.value[areas.value.id] ?? []).filter((one) => one !== name) };
    }
    /** All areas of a class go at once, and come back at once. */
    async function removeClass(name: string): Promise<void> {
        const gone = marksOf(name);
        forget(name);
        if (gone.length && areas.value) await drawing.removeMarks(areas.value.id, gone, `${gone.length} areas of ${name} removed`);
    }

    // what the areas say follows what is drawn
    const told = shallowRef<Told | null>(null);
    const problem = ref<string | null>(null);
    const isAsking = ref(false);
    const state = computed(() => (isOpen.value && areas.value?.stamp && hasImages.value ? JSON.stringify([areas.value.stamp, asked.value]) : null));
    let last = 0;
    watchDebounced(
        state,
        async (now) => {
            const mine = ++last;
            if (now === null) return void (told.value = null);
            isAsking.value = true;
            try {
                const answer = await must(api.POST('/studies/{study}/training', { params: { path: { study: id } }, body: asked.value }));
                // one that was asked later tells more
                if (mine === last) [told.value, problem.value] = [answer, null];
            } catch (error) {
                if (mine === last) [told.value, problem.value] = [null, (error as Problem).message];
            }
            if (mine === last) isAsking.value = false;
        },
        { debounce: 200, immediate: true },
    );
    const ofClass = (name: string) => told.value?.classes.find((one) => one.class === name) ?? null;

    /** The second heap of a class becomes a class of its own. */
    async function split(name: string): Promise<void> {
        const heaps = ofClass(name)?.heaps;
        const moved = marksOf(name).filter((mark) => heaps?.areas.includes(mark.number));
        if (!moved.length) {
            store.message.value = `No area of “${name}” is entirely in the smaller cluster: draw areas that contain one of the two only.`;
            return;
        }
        let number = 2;
        while (classes.value.includes(`${name} ${number}`)) number++;
        await meet({ names: [`${name} ${number}`] });
        await drawing.reclass(moved, `${name} ${number}`, `${name} split in two`);
    }

    // areas that an image draws
    const growth = shallowRef<Growth | null>(null);
    const likeness = ref(LIKENESS);
    const joined = computed(() => {
        if (!growth.value) return 0;
        const { levels } = growth.value;
        let [low, high] = [0, levels.length];
        while (low < high) {
            const middle = (low + high) >> 1;
            if (levels[middle]! <= likeness.value) low = middle + 1;
            else high = middle;
        }
        return low;
    });
    const polygons = (pixels: Pixels, count?: number): Plain[] => outline(pixels, count).map((rings) => ({ type: 'Polygon', coordinates: rings }));
    const grown = computed<Geometry | null>(() => {
        const rings = growth.value && joined.value ? outline(growth.value.pixels, joined.value)[0] : null;
        return rings ? new Polygon(rings) : null;
    });

    async function seed(place: Place): Promise<void> {
        const tool = drawing.tool.value;
        if (tool?.does !== 'grow') return;
        const answer = await store.act(() =>
            must(api.POST('/studies/{study}/training/grow', { params: { path: { study: id } }, body: { ...asked.value, place } })),
        );
        if (!answer) return;
        growth.value = { pixels: pixelsOf(answer), levels: new Float32Array(bytes(answer.levels)), class: tool.class, into: tool.into };
    }
    async function keepGrown(): Promise<void> {
        const now = growth.value;
        const shape = now && polygons(now.pixels, joined.value)[0];
        if (!now || !shape) return;
        if (await drawing.add(now.into, shape, now.class, `area of ${now.class} grown`)) growth.value = null;
    }
    /** The segment at a place becomes an area. */
    async function take(place: Place): Promise<void> {
        const tool = drawing.tool.value;
        if (tool?.does !== 'take') return;
        if (!draft.value.inputs.segments) {
            store.message.value = 'Choose segments on the desk first.';
            return;
        }
        const answer = await store.act(() =>
            must(api.POST('/studies/{study}/training/segment', { params: { path: { study: id } }, body: { ...asked.value, place } })),
        );
        const shape = answer && polygons(pixelsOf(answer))[0];
        if (shape) await drawing.add(tool.into, shape, tool.class, `segment added to ${tool.class}`);
    }
    /** What a click in a view does, or Enter for its middle. Whether it did something. */
    function press(place: Place): boolean {
        const does = drawing.tool.value?.does;
        if (does === 'grow') void seed(place);
        else if (does === 'take') void take(place);
        else return false;
        return true;
    }
    watch(drawing.tool, (tool) => {
        if (tool?.does !== 'grow') growth.value = null;
    });

    // pixels that look like another class
    const stray = ref<number | null>(null);
    const strayPlaces = computed<Geometry | null>(() => {
        const found = told.value?.strays.find((one) => one.area === stray.value);
        return found?.places.length ? new MultiPoint(found.places) : null;
    });
    /** An area without the pixels that look like another class. */
    async function cleanse(area: number): Promise<void> {
        const found = told.value?.strays.find((one) => one.area === area);
        const mark = marks.value.find((one) => one.number === area);
        if (!found || !mark || !areas.value) return;
        const kept = found.kept && pixelsOf(found.kept);
        const pixel = kept ? Math.abs(kept.column[0] * kept.row[1] - kept.column[1] * kept.row[0]) : 0;
        // crumbs of a few pixels tell nothing
        const isLarge = (one: Plain) => new Polygon(one.coordinates as Place[][]).getArea() > (CRUMB - 0.5) * pixel;
        const parts = kept ? polygons(kept).filter(isLarge) : [];
        stray.value = null;
        await drawing.exchange(areas.value.id, mark, parts, mark.class ?? null, `pixels similar to ${found.as} excluded from area ${area}`);
    }

    /** What lies over the views: an area that grows, pixels that stray. */
    const over = computed<Geometry[]>(() => [grown.value, strayPlaces.value].filter((one): one is Geometry => one !== null));

    return {
        isOpen,
        draft,
        areas,
        marks,
        classes,
        current,
        colourOf,
        marksOf,
        plan,
        recolour,
        rename,
        removeClass,
        told,
        problem,
        isAsking,
        asked,
        ofClass,
        split,
        growth,
        likeness,
        joined,
        keepGrown,
        press,
        stray,
        cleanse,
        over,
    };
}

export type Training = ReturnType<typeof useTraining>;
