import { useLocalStorage } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import type { RasterItem } from '../api/client';
import type { StudyStore } from '../bench/useStudy';
import type { DrawingStore } from '../draw/useDrawing';
import { suggestedColour } from '../views/classColours';
import { levelFor } from '../views/RasterLayer';
import { numberAt } from '../views/segments/numbersOnScreen';
import type { Place } from '../views/geo';
import type { Views } from '../views/useViews';

const FADED = '#5a5a5a';

/** Clusters that are given names: each by a click into the view; what is pointed at is seen alone. */
export function useNaming(id: number, store: StudyStore, views: Views, drawing: DrawingStore) {
    /** The map whose clusters lie on the desk. */
    const item = ref<RasterItem | null>(null);
    const kept = useLocalStorage<Record<number, Record<number, string>>>(`clusters/${id}`, {});
    const names = computed<Record<number, string>>(() => (item.value ? (kept.value[item.value.id] ?? {}) : {}));
    /** The name that a click gives. */
    const current = ref('');
    /** The cluster pointed at, in a view or on the desk. */
    const pointed = ref<number | null>(null);
    const isNaming = computed(() => drawing.tool.value?.does === 'name');

    const codes = computed(() => (item.value?.raster.legend ?? []).map((one) => one.value));
    const colourOf = (name: string) => store.study.value?.legend.find((one) => one.name === name)?.colour ?? suggestedColour(name) ?? '#888888';
    const ownColour = (code: number) => item.value?.raster.legend?.find((one) => one.value === code)?.colour ?? '#888888';
    const shownColour = (code: number) => (names.value[code] ? colourOf(names.value[code]!) : ownColour(code));

    /** The map in the colours of the names given so far, and what is pointed at alone. */
    watch(
        [item, names, pointed, () => store.study.value?.legend],
        () => {
            if (!item.value) return void (views.dressed.value = null);
            const colours = Object.fromEntries(codes.value.map((code) => [code, pointed.value === null || pointed.value === code ? shownColour(code) : FADED]));
            views.dressed.value = { item: item.value.id, colours };
        },
        { deep: true },
    );

    function open(next: RasterItem | null): void {
        if (item.value?.id === next?.id) return;
        item.value = next;
        pointed.value = null;
        if (!next && isNaming.value) drawing.leave();
    }
    function at(place: Place): number | null {
        if (!item.value) return null;
        const code = numberAt(item.value, place, levelFor(item.value, views.shared.view.getResolution() ?? 1));
        return codes.value.includes(code) ? code : null;
    }
    async function name(code: number, to: string): Promise<void> {
        if (!item.value) return;
        const map = item.value.id;
        const set = (value: string | undefined) => async () => {
            const next = { ...kept.value[map] };
            if (value) next[code] = value;
            else delete next[code];
            kept.value = { ...kept.value, [map]: next };
        };
        const before = names.value[code];
        if ((before ?? '') === to) return;
        await store.remember({ what: to ? `cluster ${code} called ${to}` : `the name of cluster ${code}`, redo: set(to || undefined), undo: set(before) });
    }
    /** What a click does, or Enter for the middle of the view. Whether it did something. */
    function press(place: Place): boolean {
        if (!isNaming.value) return false;
        const code = at(place);
        if (code === null) store.message.value = 'No cluster at this place.';
        else if (!current.value.trim()) store.message.value = 'Enter a name first.';
        else void name(code, current.value.trim());
        return true;
    }
    function point(place: Place | null): void {
        if (isNaming.value) pointed.value = place && at(place);
    }
    watch(isNaming, (now) => !now && (pointed.value = null));

    return { item, names, current, pointed, isNaming, codes, colourOf, shownColour, open, name, press, point };
}

export type Naming = ReturnType<typeof useNaming>;
