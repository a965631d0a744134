import { computed } from 'vue';
import type { Item, Step } from '../../api/client';
import type { StudyStore } from '../../bench/useStudy';
import type { DrawingStore } from '../../draw/useDrawing';
import { suggestedColour } from '../classColours';
import { itemLabel } from '../look';
import type { Views } from '../useViews';
import type { LineLook } from './styles';
import { useFeatures } from './useFeatures';

const hex = /^#[0-9a-f]{6}$/i;

/** What can lie over a picture as points and lines: items of steps, and drawings. */
export function useVectors(store: StudyStore, views: Views, drawing: DrawingStore) {
    const candidates = computed<{ line: Pick<LineLook, 'source' | 'drawing'>; label: string }[]>(() => [
        ...store.steps.value.flatMap((step: Step) =>
            step.items
                .filter((item) => ['outlines', 'features'].includes(item.type))
                .map((item) => ({ line: { source: { step: step.id, output: item.output }, drawing: null }, label: itemLabel(step, item.output) })),
        ),
        ...drawing.drawings.value
            .filter((one) => one !== drawing.area.value && one.count)
            .map((one) => ({ line: { source: null, drawing: one.id }, label: drawing.called(one) })),
    ]);

    function itemOf(line: Pick<LineLook, 'source'>): Item | null {
        const step = store.steps.value.find((one) => one.id === line.source?.step);
        const items = step?.items.filter((item) => item.output === line.source?.output && ['outlines', 'features'].includes(item.type)) ?? [];
        return items[items.length - 1] ?? null;
    }

    function labelOf(line: LineLook): string {
        return candidates.value.find((one) => isSame(one.line, line))?.label ?? '';
    }

    const wanted = computed(() => [
        ...new Set([...views.looks.a.value.lines, ...views.looks.b.value.lines].map((line) => itemOf(line)?.id).filter((one) => one !== undefined)),
    ]);
    const features = useFeatures(views.shared, wanted);

    const sourceOf = (line: LineLook) => {
        if (line.drawing !== null) return drawing.sourceOf(line.drawing);
        const item = itemOf(line);
        return item ? features.sourceOf(item.id) : null;
    };

    /** How many of a line's features are drawn, where not all can be. */
    function partly(line: LineLook): string | null {
        const has = features.loaded.get(itemOf(line)?.id ?? -1);
        return has && has.shown < has.inside ? `${has.shown} of ${has.inside}` : null;
    }

    /** The colour of a class: that of the study's legend, else what its name suggests. */
    function colourOf(name: string): string {
        const known = store.study.value?.legend.find((entry) => entry.name === name)?.colour ?? suggestedColour(name);
        return known && hex.test(known) ? known : '#ffffff';
    }

    return { candidates, sourceOf, labelOf, partly, colourOf };
}

export function isSame(a: Pick<LineLook, 'source' | 'drawing'>, b: Pick<LineLook, 'source' | 'drawing'>): boolean {
    return a.drawing === b.drawing && a.source?.step === b.source?.step && a.source?.output === b.source?.output;
}

export type Vectors = ReturnType<typeof useVectors>;
