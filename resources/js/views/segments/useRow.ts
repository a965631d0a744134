import { shallowRef, watch, type Ref } from 'vue';
import { api, must, type Item } from '../../api/client';
import { queries } from '../../api/queries';
import { column } from './columns';
import type { Segments } from './useSegments';

/** What is measured of one segment: name, unit and value of each measure. */
export interface Row {
    number: number;
    measures: { name: string; unit: string | null; value: number | null }[];
}

/** The row of a segment in measures; null where it is not measured. */
export async function rowOf(measures: Item, number: number): Promise<Row | null> {
    const at = findRow(await column(measures.id, 'segment'), number);
    if (at === null) return null;
    const found = await queries.fetchQuery({
        queryKey: ['row', measures.id, at],
        queryFn: () => must(api.GET('/items/{item}/rows', { params: { path: { item: measures.id }, query: { from: at, count: 1 } } })),
    });
    const measured = found.columns.map((one, i) => ({ name: one.name, unit: one.unit, value: (found.rows[0]?.[i] as number | null) ?? null })).slice(1);
    return { number, measures: measured };
}

/** Numbers rise, with gaps where segments were left out. */
export function findRow(numbers: Float64Array, number: number): number | null {
    let [low, high] = [0, numbers.length - 1];
    while (low <= high) {
        const middle = (low + high) >> 1;
        if (numbers[middle] === number) return middle;
        if (numbers[middle]! < number) low = middle + 1;
        else high = middle - 1;
    }
    return null;
}

/** What is measured of the segment that someone points at, from the latest measures of its segmentation. */
export function useRow(segments: Segments, of: Ref<{ item: number; number: number } | null>) {
    const row = shallowRef<Row | null>(null);
    let round = 0;
    watch(
        of,
        async (now) => {
            const mine = ++round;
            if (!now) return (row.value = null);
            const measures = segments.mainMeasures(segments.sourceOf(now.item));
            const found = measures ? await rowOf(measures, now.number).catch(() => null) : null;
            if (mine === round) row.value = found ?? { number: now.number, measures: [] };
        },
        { immediate: true },
    );
    return row;
}
