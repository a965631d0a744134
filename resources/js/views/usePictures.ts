import { shallowRef, watch, type Ref } from 'vue';
import { findItem, sameBand, styleOf, styleOfDates, type Look } from './look';
import type { Picture } from './RasterLayer';
import type { Bench } from '../bench/useBench';

/** From what a look says to what is painted; histograms for stretches are fetched when they are needed. */
export function usePictures(bench: Bench, look: Ref<Look>): Ref<Picture[]> {
    const pictures = shallowRef<Picture[]>([]);
    let round = 0;
    watch(
        [look, bench.store.study, bench.store.trials],
        async () => {
            const mine = ++round;
            const { value } = look;
            const study = bench.store.study.value;
            if (!study) return;
            const found: Picture[] = [];
            for (const [source, opacity] of [
                [value.source, 1],
                [value.over, value.opacity],
            ] as const) {
                const item = findItem(study, source, bench.store.trials.value);
                if (!item) continue;
                const before = source === value.source ? findItem(study, value.before, []) : null;
                try {
                    if (before && sameBand(item, value.band, before))
                        found.push({ item, other: before, opacity, style: await styleOfDates(item, before, value) });
                    else found.push({ item, opacity, style: await styleOf(item, value) });
                } catch {
                    // an item that was made anew in the meantime: the next state of the study brings the new one
                }
            }
            if (mine === round) pictures.value = found;
        },
        { immediate: true, deep: true },
    );
    return pictures;
}
