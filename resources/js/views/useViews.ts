import { useLocalStorage } from '@vueuse/core';
import { ref, shallowRef } from 'vue';
import type { Inputs, RasterItem } from '../api/client';
import type { StudyStore } from '../bench/useStudy';
import type { Place } from './geo';
import { emptyLook, findItem, lookFor, rasterSources, sameSource, type Look, type Source } from './look';
import type { Picture } from './RasterLayer';
import { useSharedView } from './useSharedView';

export type Side = 'a' | 'b';

/** A residual of a tie point, in pixels of the image that stays. */
export interface Arrow {
    x: number;
    y: number;
    columns: number;
    rows: number;
    used: boolean;
}

/** What the two views show, and how. */
export function useViews(store: StudyStore) {
    const shared = useSharedView();
    const looks = { a: ref<Look>(emptyLook()), b: ref<Look>(emptyLook()) };
    /** Items that the table of pegs reads, whatever is in view. */
    const pinned = ref<Source[]>([]);
    const single = useLocalStorage('views/single', false);
    const readings = useLocalStorage('readings/open', true);
    const curtain = ref<number | null>(null);
    const flipped = ref(false);
    const arrows = shallowRef<Arrow[]>([]);
    /** Other colours for the classes of an item, while they are named. */
    const dressed = shallowRef<{ item: number; colours: Record<number, string> } | null>(null);
    /** What the desk lays over view B while something is being chosen. */
    const live = shallowRef<Picture | null>(null);
    /** What the desk points at in both views, by dimming the rest. */
    const pointed = shallowRef<{ a: Picture; b: Picture } | null>(null);
    /** Corners of what is tried, where that is less than what is visible. */
    const tried = shallowRef<Place[] | null>(null);
    /** Where a check point stands, to be framed. */
    const framed = shallowRef<{ x: number; y: number; pixel: number } | null>(null);

    function inView(): Source[] {
        return [looks.a.value.source, looks.b.value.source, looks.b.value.over].filter((source) => source !== null);
    }

    /** Something to see as soon as there is something: the newest result, beside what it was made from. */
    function fill(): void {
        const study = store.study.value;
        const newest = study ? rasterSources(study).at(-1) : undefined;
        if (!study || !newest) return;
        if (!looks.a.value.source && !looks.b.value.source) {
            shared.fit(newest.item.raster);
            const step = study.steps.find((one) => one.id === newest.source.step)!;
            showStep(
                step.inputs,
                step.items.map(({ output }) => ({ step: step.id, output })),
            );
        }
        if (!looks.a.value.source) looks.a.value = lookFor(newest.item, newest.source, true);
        if (!looks.b.value.source) looks.b.value = lookFor(newest.item, newest.source);
    }

    /** Shows something else; what lies over it as lines stays. */
    function show(side: Side, source: Source, natural = false): void {
        const item = findItem(store.study.value!, source, store.trials.value);
        const { value } = looks[side];
        if (item && !sameSource(value.source, source)) looks[side].value = { ...lookFor(item, source, natural), lines: value.lines };
    }

    /** The rasters that a step works on. */
    function inputsOf(inputs: Inputs): { source: Source; item: RasterItem }[] {
        return Object.values(inputs).flatMap((input) => {
            const source = input.step ? { step: input.step, output: input.output ?? 'result' } : null;
            const item = findItem(store.study.value!, source, []);
            return source && item ? [{ source, item }] : [];
        });
    }

    /** What is looked at beside what a step makes: the first image that it works on, else the first raster. */
    function inputOf(inputs: Inputs): Source | null {
        const all = inputsOf(inputs);
        return (all.find(({ item }) => item.raster.content === 'image') ?? all[0])?.source ?? null;
    }

    /** What a step used goes to view A, what it made to B: classes and segments over what they were made from. */
    function showStep(inputs: Inputs, made: Source[]): void {
        const used = inputOf(inputs);
        const rasters = made.filter((source) => findItem(store.study.value!, source, store.trials.value));
        const result = rasters.find((source) => source.output === 'classes') ?? rasters.find((source) => source.output === 'multispectral') ?? rasters[0];
        const segments = inputsOf(inputs).find(({ item }) => item.raster.content === 'segments')?.source;
        if (used) show('a', used);
        if (!result && used && segments && !sameSource(used, segments)) layOver('b', used, segments);
        if (!result) return;
        const item = findItem(store.study.value!, result, store.trials.value)!;
        if (used && item.raster.content !== 'image') {
            layOver('b', used, result);
        } else {
            if (!used) show('a', result, true);
            show('b', result);
        }
    }

    /** A map or segments over an image; what was seen of the image stays as it was. */
    function layOver(side: Side, base: Source, over: Source): void {
        const { value } = looks[side];
        const below = sameSource(value.source, base) ? value : { ...lookFor(findItem(store.study.value!, base, [])!, base), lines: value.lines };
        looks[side].value = { ...below, over, opacity: 0.7 };
    }

    /** A step's results are gone. */
    function forget(step: number): void {
        for (const side of ['a', 'b'] as const) {
            const look = looks[side].value;
            if (look.source?.step === step) looks[side].value = { ...emptyLook(), lines: look.lines };
            else if (look.over?.step === step) looks[side].value = { ...look, over: null };
        }
        fill();
    }

    return {
        shared,
        looks,
        pinned,
        single,
        readings,
        curtain,
        flipped,
        arrows,
        dressed,
        live,
        pointed,
        tried,
        framed,
        inView,
        fill,
        show,
        inputOf,
        showStep,
        forget,
    };
}

export type Views = ReturnType<typeof useViews>;
