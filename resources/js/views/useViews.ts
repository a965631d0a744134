import { useLocalStorage } from '@vueuse/core';
import { ref, shallowRef } from 'vue';
import type { Inputs } from '../api/client';
import type { StudyStore } from '../bench/useStudy';
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
    /** Items that the table of pegs reads. */
    const columns = ref<Source[]>([]);
    const single = useLocalStorage('views/single', false);
    const readings = useLocalStorage('readings/open', true);
    const curtain = ref<number | null>(null);
    const flipped = ref(false);
    const arrows = shallowRef<Arrow[]>([]);
    /** What the desk lays over view B while something is being chosen. */
    const live = shallowRef<Picture | null>(null);
    /** Where a check point stands, to be framed. */
    const framed = shallowRef<{ x: number; y: number; pixel: number } | null>(null);

    /** Something to see as soon as there is something. */
    function fill(): void {
        const first = store.study.value ? rasterSources(store.study.value)[0] : undefined;
        if (!first) return;
        if (!looks.a.value.source && !looks.b.value.source) shared.fit(first.item.raster);
        if (!looks.a.value.source) looks.a.value = lookFor(first.item, first.source, true);
        if (!looks.b.value.source) looks.b.value = lookFor(first.item, first.source);
    }

    /** Shows something else; what lies over it as lines stays. */
    function show(side: Side, source: Source, natural = false): void {
        const item = findItem(store.study.value!, source, store.trials.value);
        const { value } = looks[side];
        if (item && !sameSource(value.source, source)) looks[side].value = { ...lookFor(item, source, natural), lines: value.lines };
    }

    /** The first raster that a step works on. */
    function inputOf(inputs: Inputs): Source | null {
        for (const input of Object.values(inputs)) {
            if (!input.step) continue;
            const source = { step: input.step, output: input.output ?? 'result' };
            if (findItem(store.study.value!, source, [])) return source;
        }
        return null;
    }

    /** What a step used goes to view A, what it made to B: classes and segments over what they were made from. */
    function showStep(inputs: Inputs, made: Source[]): void {
        const used = inputOf(inputs);
        const rasters = made.filter((source) => findItem(store.study.value!, source, store.trials.value));
        const result = rasters.find((source) => source.output === 'classes') ?? rasters.find((source) => source.output === 'multispectral') ?? rasters[0];
        if (used) show('a', used);
        if (!result) return;
        const item = findItem(store.study.value!, result, store.trials.value)!;
        if (used && item.raster.content !== 'image') {
            const base = findItem(store.study.value!, used, [])!;
            looks.b.value = { ...lookFor(base, used), over: result, opacity: 0.7, lines: looks.b.value.lines };
        } else {
            if (!used) show('a', result, true);
            show('b', result);
        }
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

    return { shared, looks, columns, single, readings, curtain, flipped, arrows, live, framed, fill, show, inputOf, showStep, forget };
}

export type Views = ReturnType<typeof useViews>;
