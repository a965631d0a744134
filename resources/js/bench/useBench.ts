import { useEventListener, watchDebounced } from '@vueuse/core';
import { inject, onScopeDispose, provide, watch, type InjectionKey } from 'vue';
import { api } from '../api/client';
import { useDrawing } from '../draw/useDrawing';
import { useExercise, type Progress } from '../exercises/useExercise';
import { useKey } from '../key/useKey';
import { usePegs } from '../readings/usePegs';
import { emptyLook, findItem, rasterSources, type Look, type Source } from '../views/look';
import { useSegments, type Shading } from '../views/segments/useSegments';
import { useNaming } from '../clusters/useNaming';
import { useTraining } from '../training/useTraining';
import { useDifferences } from '../views/useDifferences';
import { useViews } from '../views/useViews';
import { useVectors } from '../views/vectors/useVectors';
import { useDesk, type OnDesk } from './useDesk';
import { useStudy } from './useStudy';

/** What is kept of a study's bench from one visit to the next. */
interface Kept {
    a?: Look;
    b?: Look;
    desk?: OnDesk;
    centre?: number[];
    resolution?: number;
    pinned?: Source[];
    shading?: Shading | null;
    exercise?: Progress | null;
}

const KEY: InjectionKey<Bench> = Symbol('bench');

export function provideBench(id: number): Bench {
    const bench = create(id);
    provide(KEY, bench);
    return bench;
}

export function useBench(): Bench {
    return inject(KEY)!;
}

/** The bench by concern: what the server knows, what the views show, what lies on the desk, pegs, and what is drawn. */
function create(id: number) {
    const store = useStudy(id);
    const views = useViews(store);
    const desk = useDesk(id, store, views);
    const pegs = usePegs(id, store);
    const drawing = useDrawing(id, store, views);
    const vectors = useVectors(store, views, drawing);
    const segments = useSegments(store, views);
    const training = useTraining(id, store, views, desk, drawing);
    const naming = useNaming(id, store, views, drawing);
    const differences = useDifferences(store, views);
    const key = useKey(id, store, views, desk, segments);
    const exercise = useExercise(store, desk);

    async function start(): Promise<void> {
        await store.start();
        if (!store.study.value) return;
        const kept = (store.study.value.look ?? {}) as Kept;
        const known = (look?: { source: Source | null }) => look?.source && findItem(store.study.value!, look.source, []);
        exercise.progress.value = kept.exercise ?? null;
        views.pinned.value = kept.pinned ?? [];
        if (kept.shading && known({ source: kept.shading.segments })) segments.shading.value = kept.shading;
        if (kept.desk && !('step' in kept.desk && !store.steps.value.some((one) => one.id === (kept.desk as { step: number }).step)))
            desk.open.value = kept.desk;
        if (known(kept.a)) views.looks.a.value = { ...emptyLook(), ...kept.a };
        if (known(kept.b)) views.looks.b.value = { ...emptyLook(), ...kept.b };
        views.fill();
        if (kept.centre && kept.resolution && views.looks.a.value.source) {
            views.shared.view.setCenter(kept.centre);
            views.shared.view.setResolution(kept.resolution);
        }
    }

    // the first image of an empty study comes into view whole
    watch(
        () => (store.study.value ? rasterSources(store.study.value).length : null),
        (now, was) => {
            if (!now || was !== 0) return;
            views.fill();
        },
    );

    let told = '';
    function keep(): void {
        if (!store.study.value) return;
        const { view } = views.shared;
        const kept: Kept = {
            a: views.looks.a.value,
            b: views.looks.b.value,
            desk: desk.open.value,
            pinned: views.pinned.value,
            shading: segments.shading.value,
            exercise: exercise.progress.value,
            centre: view.getCenter(),
            resolution: view.getResolution(),
        };
        const text = JSON.stringify(kept);
        if (text === told) return;
        told = text;
        // what is being looked at is no news to anyone: failing to keep it is no reason to interrupt
        void api
            .PATCH('/studies/{study}', { params: { path: { study: id } }, body: { look: kept as Record<string, unknown> }, keepalive: true })
            .catch(() => undefined);
    }
    watchDebounced([views.looks.a, views.looks.b, desk.open, views.pinned, segments.shading, exercise.progress, views.shared.moved], keep, {
        debounce: 800,
        deep: true,
    });
    useEventListener('pagehide', keep);
    onScopeDispose(keep);

    return { id, store, views, desk, pegs, drawing, vectors, segments, key, training, naming, differences, exercise, start };
}

export type Bench = ReturnType<typeof create>;
