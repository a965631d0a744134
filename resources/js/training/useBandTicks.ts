import { shallowRef, watch } from 'vue';
import type { Bench } from '../bench/useBench';
import { listOf } from '../desk/listOf';
import { valuesAt } from '../readings/useReadings';
import { findItem } from '../views/look';

/** What the pegs read in the bands that classes are told apart by. */
export function useBandTicks(bench: Bench) {
    const { store, training } = bench;
    const values = shallowRef(new Map<string, { letter: string; value: number }[]>());
    watch(
        [() => training.draft.value.inputs, () => training.draft.value.settings.names, () => store.study.value?.pegs],
        async () => {
            const { inputs, settings } = training.draft.value;
            const pegs = store.study.value?.pegs ?? [];
            const names = listOf(settings.names);
            const keys = Object.keys(inputs)
                .filter((name) => name.startsWith('images'))
                .sort((a, b) => Number(a.split(':')[1] ?? 0) - Number(b.split(':')[1] ?? 0));
            const found = new Map<string, { letter: string; value: number }[]>();
            for (const [i, key] of keys.entries()) {
                const input = inputs[key]!;
                const item = store.study.value && findItem(store.study.value, { step: input.step ?? 0, output: input.output ?? 'result' }, []);
                if (!item) continue;
                const read = await valuesAt(item, pegs);
                item.raster.bands.forEach((band, k) => {
                    const bare = band.role ?? `band${band.number}`;
                    const list = pegs.flatMap((peg) => {
                        const value = read.get(peg.id)?.[k];
                        return typeof value === 'number' ? [{ letter: peg.letter, value }] : [];
                    });
                    found.set(keys.length > 1 ? `${names[i] ?? String.fromCharCode(97 + i)}.${bare}` : bare, list);
                });
            }
            values.value = found;
        },
        { immediate: true },
    );
    return { ofBand: (name: string) => values.value.get(name) ?? [] };
}
