import { useEventListener, useLocalStorage, watchDebounced } from '@vueuse/core';
import { computed, inject, onScopeDispose, provide, ref, shallowReactive, shallowRef, watch, type InjectionKey } from 'vue';
import { api, isRaster, must, type Inputs, type Kind, type Settings, type Step, type Upload } from '../api/client';
import type { Picture } from '../views/RasterLayer';
import { emptyLook, findItem, lookFor, rasterSources, sameSource, type Look, type Source } from '../views/look';
import { useSharedView } from '../views/useSharedView';
import { candidatesFor, startInputs } from './startInputs';
import { useArea } from './useArea';
import { useFigures } from './useFigures';
import { useStudy } from './useStudy';

export type Side = 'a' | 'b';

/** What lies on the desk: a stage's kinds, a step that is being set up, or a step of the trail. */
export type OnDesk = { stage: string } | { kind: string } | { step: number };

export interface Draft {
    inputs: Inputs;
    settings: Settings;
    /** Kept to the study's area. */
    within: boolean;
}

/** What is kept of a study's bench from one visit to the next. */
interface Kept {
    a?: Look;
    b?: Look;
    desk?: OnDesk;
    centre?: number[];
    resolution?: number;
    columns?: Source[];
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

/** The state of the bench: what the views show, what lies on the desk, which tool is armed. */
function create(id: number) {
    const store = useStudy(id);
    const shared = useSharedView();
    const looks = { a: ref<Look>(emptyLook()), b: ref<Look>(emptyLook()) };
    const desk = ref<OnDesk>({ stage: 'gather' });
    const drafts = useLocalStorage<Record<string, Draft>>(`set-up/${id}`, {});
    const columns = ref<Source[]>([]);
    const settings = { single: useLocalStorage('views/single', false), readings: useLocalStorage('readings/open', true) };
    const armed = ref<'pin' | 'area' | null>(null);
    /** Residuals of tie points, in pixels of the image that stays. */
    const arrows = shallowRef<{ x: number; y: number; columns: number; rows: number; used: boolean }[]>([]);
    /** What the files that were uploaded here say of themselves. */
    const uploads = shallowReactive<Record<string, Upload>>({});
    const area = useArea(store, armed);
    const curtain = ref<number | null>(null);
    const flipped = ref(false);
    /** What the desk lays over view B while something is being chosen. */
    const live = shallowRef<Picture | null>(null);
    /** Where a check point stands, to be framed in the views. */
    const framed = shallowRef<{ x: number; y: number; pixel: number } | null>(null);

    const line = computed<Step | null>(() => ('step' in desk.value ? (store.steps.value.find((one) => one.id === (desk.value as { step: number }).step) ?? null) : null));
    const step = useFigures(line, store.problem);
    const kind = computed<Kind | null>(() => {
        const name = 'kind' in desk.value ? desk.value.kind : step.value?.kind;
        return store.kinds.value.find((one) => one.id === name) ?? null;
    });
    const stage = computed(() => ('stage' in desk.value ? desk.value.stage : (kind.value?.stage ?? 'gather')));

    async function start(): Promise<void> {
        await store.start();
        const kept = (store.study.value?.look ?? {}) as Kept;
        columns.value = kept.columns ?? [];
        const known = (look?: Look) => look?.source && findItem(store.study.value!, look.source, []);
        if (kept.desk && !('step' in kept.desk && !store.steps.value.some((one) => one.id === (kept.desk as { step: number }).step))) desk.value = kept.desk;
        if (known(kept.a)) looks.a.value = { ...emptyLook(), ...kept.a };
        if (known(kept.b)) looks.b.value = { ...emptyLook(), ...kept.b };
        fill();
        if (kept.centre && kept.resolution && looks.a.value.source) {
            shared.view.setCenter(kept.centre);
            shared.view.setResolution(kept.resolution);
        }
    }

    /** Something to see as soon as there is something. */
    function fill(): void {
        const sources = store.study.value ? rasterSources(store.study.value) : [];
        const first = sources[0];
        if (!first) return;
        if (!looks.a.value.source && !looks.b.value.source) shared.fit(first.item.raster);
        if (!looks.a.value.source) looks.a.value = lookFor(first.item, first.source, true);
        if (!looks.b.value.source) looks.b.value = lookFor(first.item, first.source);
    }

    // the first image of an empty study comes into view whole
    watch(() => (store.study.value ? rasterSources(store.study.value).length : null), (now, was) => {
        if (!now || was !== 0) return;
        shared.fit(rasterSources(store.study.value!)[0]!.item.raster);
        fill();
    });

    let told = '';
    function keep(): void {
        if (!store.study.value) return;
        const kept: Kept = { a: looks.a.value, b: looks.b.value, desk: desk.value, columns: columns.value, centre: shared.view.getCenter(), resolution: shared.view.getResolution() };
        const text = JSON.stringify(kept);
        if (text === told) return;
        told = text;
        // what is being looked at is no news to anyone: failing to keep it is no reason to interrupt
        void api.PATCH('/studies/{study}', { params: { path: { study: id } }, body: { look: kept as Record<string, unknown> }, keepalive: true }).catch(() => undefined);
    }
    watchDebounced([looks.a, looks.b, desk, columns, shared.moved], keep, { debounce: 800, deep: true });
    useEventListener('pagehide', keep);
    onScopeDispose(keep);

    function show(side: Side, source: Source, natural = false): void {
        const item = findItem(store.study.value!, source, store.trials.value);
        if (item && !sameSource(looks[side].value.source, source)) looks[side].value = lookFor(item, source, natural);
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
            looks.b.value = { ...lookFor(base, used), over: result, opacity: 0.7 };
        } else {
            if (!used) show('a', result, true);
            show('b', result);
        }
    }

    function openStep(one: Step): void {
        desk.value = { step: one.id };
        live.value = null;
        showStep(one.inputs as Inputs, one.items.filter(isRaster).map((item) => ({ step: one.id, output: item.output })));
    }

    function openStage(name: string): void {
        desk.value = { stage: name };
        live.value = null;
    }

    /** A new step of a kind; its inputs start from what the views show, then from what was made last. */
    function openKind(one: Kind): void {
        const key = `kind:${one.id}`;
        drafts.value[key] ??= { inputs: {}, settings: {}, within: false };
        const draft = drafts.value[key]!;
        draft.inputs = startInputs(one, draft.inputs, store.study.value!, [looks.b.value.over, looks.b.value.source, looks.a.value.source]);
        desk.value = { kind: one.id };
        live.value = null;
        const used = inputOf(draft.inputs);
        if (used) show('a', used);
    }

    function draftKey(): string {
        return 'step' in desk.value ? `step:${desk.value.step}` : 'kind' in desk.value ? `kind:${desk.value.kind}` : '';
    }

    async function drop(x: number, y: number): Promise<void> {
        await store.addPin(x, y);
    }

    async function removeStep(one: Step): Promise<boolean> {
        const gone = await store.act(async () => {
            await must(api.DELETE('/steps/{step}', { params: { path: { step: one.id } } }));
            return true;
        });
        if (!gone) return false;
        delete drafts.value[`step:${one.id}`];
        for (const side of ['a', 'b'] as const) {
            const look = looks[side].value;
            if (look.source?.step === one.id) looks[side].value = emptyLook();
            else if (look.over?.step === one.id) looks[side].value = { ...look, over: null };
        }
        fill();
        openStage(one.kind.split('.')[0]!);
        return true;
    }

    return { id, ...store, start, shared, looks, desk, drafts, columns, ...settings, ...area, armed, arrows, uploads, curtain, flipped, live, framed, step, kind, stage, fill, show, showStep, openStep, openStage, openKind, candidatesFor: (type: string) => candidatesFor(store.study.value, type), draftKey, drop, removeStep };
}

export type Bench = ReturnType<typeof create>;
