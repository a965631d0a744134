import { computed, ref, shallowRef, watch } from 'vue';
import type { Inputs, Item, RasterItem } from '../../api/client';
import type { StudyStore } from '../../bench/useStudy';
import type { Place } from '../geo';
import { findItem, sameSource, type Source } from '../look';
import { levelFor } from '../RasterLayer';
import type { Side, Views } from '../useViews';
import { column } from './columns';
import { numberAt } from './numbersOnScreen';
import type { SegmentLook } from './paintSegments';
import { coloursBy, isBeyond, range, type BeyondSide } from './shade';

/** What all segments of one segmentation are painted by. */
export interface Shading {
    segments: Source;
    /** A measure, or a formula over measures. */
    measure: string;
    ramp: string;
    /** Values of the ends of the ramp; null for those of two per cent at either end. */
    limits: [number, number] | null;
    limit: number | null;
    side: BeyondSide;
}

/** Values of a measure with the numbers of the segments that they belong to, and their pixels. */
export interface Column {
    item: number;
    measure: string;
    numbers: Float64Array;
    values: Float64Array;
    pixels: Float64Array | null;
}

/** Segments in the views: which is pointed at, which are chosen, what they are shaded by, and how pieces of a trial are joined. */
export function useSegments(store: StudyStore, views: Views) {
    const under = shallowRef<{ item: number; number: number } | null>(null);
    const chosen = shallowRef<{ item: number; numbers: ReadonlySet<number> } | null>(null);
    const shading = ref<Shading | null>(null);
    const shaded = shallowRef<Column | null>(null);
    const problem = ref('');
    /** Pieces of a trial, joined below the limit that is being drawn. */
    const joined = shallowRef<{ item: number; numbers: Uint32Array } | null>(null);

    /** Classes that a desk is about to give, by number, and segments that stand out. */
    const painted = shallowRef<{ item: number; colours: Uint32Array; stressed: ReadonlySet<number> | null } | null>(null);

    const itemOf = (source: Source | null): RasterItem | null => (store.study.value ? findItem(store.study.value, source, store.trials.value) : null);

    /** The segmentation that lies in a view. */
    function laidIn(side: Side): RasterItem | null {
        const look = views.looks[side].value;
        return [look.over, look.source].map(itemOf).find((item) => item?.raster.content === 'segments') ?? null;
    }
    /** The one that is meant there: those that a desk is about to sort are, in both views. */
    const shownIn = (side: Side): RasterItem | null => laidIn(side) ?? (painted.value ? itemOf(sourceOf(painted.value.item)) : null);

    const sourceOf = (item: number): Source | null => {
        for (const step of store.steps.value) for (const one of step.items) if (one.id === item) return { step: step.id, output: one.output };
        return null;
    };

    /** The measures that were taken of a segmentation, the latest last. */
    function measuresOf(segments: Source | null): { item: Item; step: number; number: number }[] {
        return store.steps.value.flatMap((step) => {
            const reads = Object.values(step.inputs as Inputs).some(
                (input) => input.step !== undefined && sameSource({ step: input.step, output: input.output ?? 'result' }, segments),
            );
            const item = step.items.find((one) => one.type === 'measures' && one.file.endsWith('.npz'));
            return reads && item ? [{ item, step: step.id, number: step.number }] : [];
        });
    }

    /** The measures that stand in card and table: those that the segments are shaded by, else the latest. */
    function mainMeasures(segments: Source | null): Item | null {
        const all = measuresOf(segments).map((one) => one.item);
        return all.find((item) => item.id === shaded.value?.item) ?? all.pop() ?? null;
    }

    /** Values of a measure over all segments, from the latest measures that have it. */
    async function load(segments: Source, measure: string): Promise<Column> {
        let last: unknown = new Error('These segments are not measured yet.');
        for (const { item } of measuresOf(segments).reverse()) {
            try {
                const [numbers, values, pixels] = await Promise.all([
                    column(item.id, 'segment'),
                    column(item.id, measure),
                    column(item.id, 'pixels').catch(() => null),
                ]);
                return { item: item.id, measure, numbers, values, pixels };
            } catch (error) {
                last = error;
            }
        }
        throw last;
    }

    let round = 0;
    watch(
        [() => shading.value?.segments, () => shading.value?.measure, store.study],
        async () => {
            const mine = ++round;
            const now = shading.value;
            problem.value = '';
            if (!now) return (shaded.value = null);
            try {
                const found = await load(now.segments, now.measure);
                if (mine === round && (shaded.value?.item !== found.item || shaded.value.measure !== found.measure)) shaded.value = found;
            } catch (error) {
                if (mine !== round) return;
                shaded.value = null;
                problem.value = (error as Error).message;
            }
        },
        { immediate: true, deep: true },
    );

    const ends = computed<[number, number]>(() => shading.value?.limits ?? (shaded.value ? range(shaded.value.values, [2, 98]) : [0, 1]));
    const colours = computed(() => {
        if (!shading.value || !shaded.value) return null;
        const { ramp, limit, side } = shading.value;
        return coloursBy(shaded.value.numbers, shaded.value.values, { ramp, limits: ends.value, limit, side });
    });

    function lookOf(item: RasterItem): SegmentLook {
        const isShaded = colours.value && itemOf(shading.value!.segments)?.id === item.id;
        const classes = painted.value?.item === item.id ? painted.value : null;
        return {
            colours: classes ? classes.colours : isShaded ? colours.value : null,
            joined: joined.value?.item === item.id ? joined.value.numbers : null,
            under: under.value?.item === item.id ? under.value.number : 0,
            chosen: classes?.stressed ?? (chosen.value?.item === item.id ? chosen.value.numbers : new Set()),
        };
    }

    /** The segment at a place of a view. */
    function at(side: Side, place: Place): { item: number; number: number } | null {
        const item = shownIn(side);
        if (!item) return null;
        const piece = numberAt(item, place, levelFor(item, views.shared.view.getResolution() ?? 1));
        const number = joined.value?.item === item.id ? (joined.value.numbers[piece] ?? 0) : piece;
        return number ? { item: item.id, number } : null;
    }

    function point(side: Side, place: Place | null): void {
        const found = place && at(side, place);
        if (found?.item !== under.value?.item || found?.number !== under.value?.number) under.value = found;
    }

    /** Chooses the segment at a place; with others, it joins them or leaves them. */
    function choose(side: Side, place: Place, withOthers: boolean): void {
        const found = at(side, place);
        if (!found) {
            if (!withOthers) chosen.value = null;
            return;
        }
        const numbers = new Set(withOthers && chosen.value?.item === found.item ? chosen.value.numbers : []);
        if (!numbers.delete(found.number)) numbers.add(found.number);
        chooseOf(found.item, numbers);
    }

    function chooseOf(item: number, numbers: ReadonlySet<number>): void {
        chosen.value = numbers.size ? { item, numbers } : null;
    }

    /** Chooses all that lie beyond the limit of the shading. */
    function chooseBeyond(): void {
        const item = shading.value && itemOf(shading.value.segments);
        const now = shaded.value;
        if (!item || !now || shading.value?.limit === null || shading.value?.limit === undefined) return;
        const numbers = new Set<number>();
        now.values.forEach((value, i) => isBeyond(value, shading.value!.limit!, shading.value!.side) && numbers.add(now.numbers[i]!));
        chooseOf(item.id, numbers);
    }

    /** Shades by a measure; the way it looks stays when only the measure changes. */
    function shade(segments: Source, measure: string): void {
        const before = shading.value && sameSource(shading.value.segments, segments) ? shading.value : null;
        shading.value = { ramp: 'viridis', side: 'above', ...before, segments, measure, limits: null, limit: null };
    }

    return {
        under,
        chosen,
        shading,
        shaded,
        problem,
        joined,
        painted,
        ends,
        itemOf,
        sourceOf,
        laidIn,
        shownIn,
        measuresOf,
        mainMeasures,
        load,
        lookOf,
        at,
        point,
        choose,
        chooseOf,
        chooseBeyond,
        shade,
    };
}

export type Segments = ReturnType<typeof useSegments>;
