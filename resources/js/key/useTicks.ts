import { shallowRef, watch } from 'vue';
import type { Bench } from '../bench/useBench';
import { pegColour } from '../plots/format';
import { valuesAt } from '../readings/useReadings';
import { UNASKED } from './sort';
import { findRow } from '../views/segments/useRow';

/** Where the pegs' segments stand in a measure. */
export function useTicks(bench: Bench) {
    const { key, store } = bench;
    const places = shallowRef<{ letter: string; place: number }[]>([]);
    watch(
        [key.item, key.numbers, () => store.study.value?.pegs],
        async () => {
            const [item, numbers, pegs] = [key.item.value, key.numbers.value, store.study.value?.pegs ?? []];
            if (!item || !numbers) return (places.value = []);
            const read = await valuesAt(item, pegs);
            if (numbers !== key.numbers.value) return;
            places.value = pegs.flatMap((peg) => {
                const place = findRow(numbers, read.get(peg.id)?.[0] ?? -1);
                return place === null ? [] : [{ letter: peg.letter, place }];
            });
        },
        { immediate: true },
    );
    /** Of those that are asked at a couplet. */
    function of(measure: string, answers: Int8Array | null) {
        const values = key.column(measure);
        return places.value.flatMap(({ letter, place }) => {
            const value = answers?.[place] === UNASKED ? undefined : values?.[place];
            return value !== undefined && Number.isFinite(value) ? [{ letter, value, colour: pegColour(letter) }] : [];
        });
    }
    return { places, of };
}
