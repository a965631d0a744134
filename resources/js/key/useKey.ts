import { watchDebounced } from '@vueuse/core';
import { computed, ref, shallowReactive, shallowRef, watch } from 'vue';
import { api, ifMatch, must, Problem, type Inputs, type RasterItem, type Settings } from '../api/client';
import type { components } from '../api/schema';
import type { Desk, Draft } from '../bench/useDesk';
import type { StudyStore } from '../bench/useStudy';
import { listOf } from '../desk/listOf';
import { findItem, type Source } from '../views/look';
import type { Views } from '../views/useViews';
import { findRow } from '../views/segments/useRow';
import type { Segments } from '../views/segments/useSegments';
import { floats, measured, shorts, type Ground } from './columns';
import { emptyKey, without, type At } from './edit';
import { coloursOf } from './paint';
import { useExamples } from './useExamples';
import { asked, codeOf, margin, sort, spreadOf, wayOf, type Couplet, type KeyDocument, type Side } from './sort';

type Look = components['schemas']['KeyLook'];

/** How long an edit that goes on, such as drawing a limit, may rest before it is one that can be undone. */
const REST = 500;

/** A key as it is being made: its document, what it makes of the segments at hand, and what of it is pointed at. */
export function useKey(id: number, store: StudyStore, views: Views, desk: Desk, segments: Segments) {
    const port = computed(() => desk.kind.value?.inputs.find((one) => one.type === 'key') ?? null);
    const evidence = computed(() => desk.kind.value?.desk.evidence.find((one) => one.name === 'key'));
    const isOpen = computed(() => evidence.value !== undefined);
    const methods = computed(() => evidence.value?.choices ?? []);
    const draft = computed<Draft>(
        () =>
            desk.drafts.value[desk.draftKey()] ?? {
                inputs: (desk.step.value?.inputs ?? {}) as Inputs,
                settings: (desk.step.value?.settings ?? {}) as Settings,
                within: false,
            },
    );
    const keyId = computed(() => (isOpen.value && port.value ? (draft.value.inputs[port.value.name]?.key ?? null) : null));
    const ground = computed<Ground | null>(() => {
        if (!isOpen.value) return null;
        const inputs = without(draft.value.inputs, port.value?.name ?? '');
        const isGiven = Object.keys(inputs).some((name) => name.startsWith('images') || name === 'segments');
        return isGiven ? { kind: desk.kind.value!.id, inputs, settings: draft.value.settings } : null;
    });
    const groundText = computed(() => JSON.stringify(ground.value));
    const source = computed<Source | null>(() => {
        const input = draft.value.inputs.segments;
        return isOpen.value && input?.step ? { step: input.step, output: input.output ?? 'result' } : null;
    });
    const item = computed<RasterItem | null>(() => segments.itemOf(source.value));
    /** What the questions are asked of: the segments, or the first image whose pixels are sorted. */
    const asks = computed<RasterItem | null>(() => {
        const first = Object.entries(draft.value.inputs).find(([name]) => name.startsWith('images'))?.[1];
        const image = first?.step && store.study.value ? findItem(store.study.value, { step: first.step, output: first.output ?? 'result' }, []) : null;
        return item.value ?? image;
    });
    /** Hectares of a pixel. */
    const pixelHectares = computed(() => asks.value?.raster.own.hectares ?? null);

    const document = shallowRef<KeyDocument | null>(null);
    const problem = ref<{ text: string; about: string | null } | null>(null);
    /** The document before an edit that goes on. */
    let before: { what: string; document: KeyDocument } | null = null;

    /** The state that was read or written here last; another one was made elsewhere. */
    let stamp: number | null = null;
    /** Gives the stamp that it has then. What somebody else changed meanwhile is not written over: it is read, and said. */
    async function send(key: number, next: KeyDocument, match: number | null): Promise<number> {
        try {
            const kept = await must(api.PUT('/keys/{key}', { params: { path: { key } }, body: { document: next }, ...ifMatch(match) }));
            if (key === keyId.value) stamp = kept.stamp;
            return kept.stamp;
        } catch (error) {
            if (key === keyId.value && match !== null) void read(key);
            throw error;
        }
    }
    function show(key: number, next: KeyDocument): void {
        before = null;
        if (key === keyId.value) document.value = next;
    }
    /** From one state to another, which stands on the desk already. */
    function remember(what: string, key: number, was: KeyDocument, next: KeyDocument): Promise<boolean> {
        let isShown = true;
        // there from what was seen, and back from what was made of it
        let [from, to]: (number | null)[] = [null, null];
        const redo = async () => {
            const isOn = isShown;
            isShown = false;
            to = await send(key, next, isOn ? stamp : from!);
            if (!isOn) show(key, next);
        };
        const undo = async () => {
            from = await send(key, was, to!);
            show(key, was);
        };
        return store.remember({ what, redo, undo });
    }

    /** A class that is new here has the colour that it has in the study already. */
    function dressed(was: KeyDocument, next: KeyDocument): KeyDocument {
        const known = new Map(store.study.value?.legend.map((one) => [one.name, one.colour]));
        const isNew = (name: string) => !was.classes.some((one) => one.name === name);
        return { ...next, classes: next.classes.map((one) => (isNew(one.name) && known.has(one.name) ? { ...one, colour: known.get(one.name)! } : one)) };
    }
    /** Changes the key; what was done is one thing that can be undone. */
    async function change(what: string, next: KeyDocument): Promise<void> {
        await settle();
        const [key, was] = [keyId.value, document.value];
        if (was) next = dressed(was, next);
        if (key === null || !was || JSON.stringify(was) === JSON.stringify(next)) return;
        document.value = next;
        const isDone = await remember(what, key, was, next);
        if (!isDone && document.value === next) document.value = was;
    }

    /** Changes it while something is drawn along; it can be undone as one thing once it rests. */
    function preview(what: string, next: KeyDocument): void {
        if (!document.value) return;
        if (before && before.what !== what) void settle();
        before ??= { what, document: document.value };
        document.value = next;
    }
    async function settle(): Promise<void> {
        if (!before || !document.value) return;
        const [{ what, document: was }, key] = [before, keyId.value];
        before = null;
        const next = withSpreads(document.value);
        if (key === null || JSON.stringify(was) === JSON.stringify(next)) return;
        document.value = next;
        await remember(what, key, was, next);
    }
    /** With each limit goes what it stands on. */
    function withSpreads(key: KeyDocument): KeyDocument {
        const couplets = key.couplets.map((one) => {
            const [answers, values] = [sorted.value?.answers.get(one.id), one.measure === undefined ? null : column(one.measure)];
            const isMissing = one.measure !== undefined && !one.histogram && !sorted.value?.waiting.has(one.id);
            const histogram = isMissing && answers && values && pixels.value ? spreadOf(values, pixels.value, answers) : null;
            return histogram ? { ...one, histogram } : one;
        });
        return { ...key, couplets };
    }
    watchDebounced(document, () => void settle(), { debounce: REST });

    const columns = shallowReactive(new Map<string, Float64Array>());
    const failed = shallowReactive(new Map<string, string>());
    const underway = new Set<string>();
    /** Values of a measure; null until they have come. */
    function column(measure: string): Float64Array | null {
        const name = `${groundText.value}/${measure}`;
        const found = columns.get(name);
        if (!found && ground.value && !failed.has(name) && !underway.has(name)) {
            underway.add(name);
            void measured(id, ground.value, measure)
                .then((values) => columns.set(name, values))
                .catch((error: unknown) => failed.set(name, (error as Error).message))
                .finally(() => underway.delete(name));
        }
        return found ?? null;
    }
    const failure = (measure: string) => failed.get(`${groundText.value}/${measure}`) ?? null;

    const numbers = computed(() => column('segment'));
    const pixels = computed(() => column('pixels'));
    const look = shallowRef<{ document: KeyDocument; ground: string; told: Look } | null>(null);
    const looking = ref(false);
    const shares = shallowReactive(new Map<string, Float32Array>());

    const sorted = computed(() =>
        document.value && pixels.value ? sort(document.value, pixels.value, column, (couplet) => shares.get(couplet) ?? null) : null,
    );
    const all = computed(() => ({ cases: pixels.value?.length ?? 0, pixels: pixels.value?.reduce((sum, some) => sum + some, 0) ?? 0 }));

    async function read(now: number): Promise<void> {
        try {
            const found = await must(api.GET('/keys/{key}', { params: { path: { key: now } } }));
            if (now === keyId.value) [document.value, stamp] = [found.document, found.stamp];
        } catch (error) {
            problem.value = { text: (error as Error).message, about: 'key' };
        }
    }
    watch(
        keyId,
        (now) => {
            [document.value, look.value, stamp] = [null, null, null];
            if (now !== null) void read(now);
        },
        { immediate: true },
    );
    // what was changed elsewhere comes, unless something is being drawn here
    watch(
        () => store.study.value?.keys.find((one) => one.id === keyId.value)?.stamp,
        (now) => {
            if (now !== undefined && stamp !== null && now !== stamp && !before) void read(keyId.value!);
        },
    );

    let round = 0;
    watchDebounced(
        [document, groundText],
        async () => {
            const [mine, now, on] = [++round, document.value, ground.value];
            if (!now || !on) return;
            looking.value = true;
            try {
                const told = await must(api.POST('/studies/{study}/keys/look', { params: { path: { study: id } }, body: { ...on, document: now } }));
                if (mine !== round) return;
                shares.clear();
                for (const one of told.couplets) if (one.shares) shares.set(one.id, floats(one.shares));
                look.value = { document: now, ground: groundText.value, told };
                problem.value = null;
            } catch (error) {
                if (mine === round) problem.value = { text: (error as Problem).message, about: (error as Problem).about };
            } finally {
                if (mine === round) looking.value = false;
            }
        },
        { debounce: 150, immediate: true },
    );
    /** What the server made of the key as it is now. */
    const fresh = computed(() => (look.value && look.value.document === document.value && look.value.ground === groundText.value ? look.value.told : null));
    const told = computed(() => look.value?.told ?? null);
    /** What flows where. Beyond a cut along the tree the server alone knows: the segments are others there. */
    const flow = computed(() => {
        const key = document.value;
        const isCut = key && (key.cut !== undefined || key.couplets.some((one) => one.yes?.cut !== undefined || one.no?.cut !== undefined));
        if (!sorted.value || !isCut || !fresh.value) return sorted.value;
        const way = (one: Look['couplets'][number]['ways'][number] | undefined) => ({ cases: one?.cases ?? 0, pixels: one?.pixels ?? 0 });
        const ways = new Map(fresh.value.couplets.map((one) => [one.id, { yes: way(one.ways[0]), no: way(one.ways[1]), none: way(one.ways[2]) }]));
        return { ...sorted.value, ways };
    });

    const selected = ref<string | null>(null);
    const couplet = computed<Couplet | null>(() => {
        const order = document.value ? asked(document.value) : [];
        return order.find((one) => one.id === selected.value) ?? order[0] ?? null;
    });
    /** The end at which a new question is being thought of. */
    const asking = ref<{ at: At } | null>(null);
    /** An arm that is pointed at: a couplet with its answer. */
    const arm = ref<{ couplet: string; side: Side | 'none' } | null>(null);
    /** A rule that is pointed at, by its place. */
    const rule = ref<number | null>(null);
    /** Whether the views show what comes of tidying. */
    const isTidied = ref(true);

    const codesAfter = (at: number): Uint16Array | null => {
        const row = fresh.value?.rules.find((one) => one.at === at);
        return row ? shorts(row.codes) : null;
    };
    const codesBefore = (at: number): Uint16Array | null => {
        const rows = fresh.value?.rules ?? [];
        const place = rows.findIndex((one) => one.at === at);
        return place > 0 ? shorts(rows[place - 1]!.codes) : place === 0 ? shorts(fresh.value!.codes) : null;
    };
    /** Codes in the views: tidied, as soon as that is known. */
    const codes = computed<Uint16Array | null>(() => {
        const rows = fresh.value?.rules ?? [];
        if (rule.value !== null) return codesBefore(rule.value) ?? sorted.value?.codes ?? null;
        return isTidied.value && rows.length ? shorts(rows[rows.length - 1]!.codes) : fresh.value ? shorts(fresh.value.codes) : (sorted.value?.codes ?? null);
    });
    /** Places among the cases that stand out: those of the arm, or those that the rule changes. */
    const marked = computed<Set<number> | null>(() => {
        const found = new Set<number>();
        if (arm.value) {
            const answers = sorted.value?.answers.get(arm.value.couplet);
            const wanted = { yes: 1, no: 0, none: -1 }[arm.value.side];
            answers?.forEach((answer, place) => answer === wanted && found.add(place));
            return found;
        }
        if (rule.value === null) return null;
        const [was, now] = [codesBefore(rule.value), codesAfter(rule.value)];
        if (!was || !now) return null;
        was.forEach((code, place) => code !== now[place] && found.add(place));
        return found;
    });

    /** The way of the segment that is pointed at: at each fork its answer, and by how much. */
    const way = computed(() => {
        const under = segments.under.value;
        if (!document.value || !sorted.value || !numbers.value || !under || under.item !== item.value?.id) return null;
        const place = findRow(numbers.value, under.number);
        if (place === null) return null;
        return wayOf(document.value, sorted.value, place).map((one) => {
            const value = one.couplet.measure === undefined ? shares.get(one.couplet.id)?.[place] : column(one.couplet.measure)?.[place];
            const by = value === undefined ? null : one.couplet.measure === undefined ? Math.max(value, 1 - value) : margin(one.couplet, value);
            return { ...one, value: value ?? null, by };
        });
    });

    /** A limit as it is drawn; what it stands on is kept once it rests. */
    function setLimit(of: Couplet, which: 'least' | 'below', value: number | null): void {
        if (!document.value || (value !== null && !Number.isFinite(value))) return;
        const couplets = document.value.couplets.map((one) => {
            if (one.id !== of.id) return one;
            const next = { ...one };
            if (value === null) delete next[which];
            else next[which] = value;
            delete next.histogram;
            return next;
        });
        preview(`the limit of “${of.question || of.id}”`, { ...document.value, couplets });
    }

    /** Bands of the images as they are called in measures. */
    const bands = computed(() => {
        const inputs = Object.entries(draft.value.inputs)
            .filter(([name, input]) => name.startsWith('images') && input.step)
            .sort(([one], [other]) => one.localeCompare(other, 'en', { numeric: true }));
        const told = listOf(draft.value.settings.names);
        return inputs.flatMap(([, input], i) => {
            const found = store.study.value ? findItem(store.study.value, { step: input.step!, output: input.output ?? 'result' }, []) : null;
            const name = told[i] ?? String.fromCharCode(97 + i);
            return (found?.raster.bands ?? []).map((band) => `${inputs.length > 1 ? `${name}.` : ''}${band.role ?? `band${band.number}`}`);
        });
    });
    /** Measures that are often asked for. */
    const proposals = computed(() => {
        const images = [...new Set(bands.value.map((one) => (one.includes('.') ? one.split('.')[0]! : '')))];
        const has = (image: string, ...roles: string[]) => roles.every((role) => bands.value.includes(image ? `${image}.${role}` : role));
        const indices = images.flatMap((image) =>
            Object.entries({ ndvi: ['nir', 'red'], ndwi: ['green', 'nir'], mndwi: ['green', 'swir1'], ndmi: ['nir', 'swir1'], ndbi: ['swir1', 'nir'] })
                .filter(([, roles]) => has(image, ...roles))
                .map(([index]) => `${index}(${image})`),
        );
        const changes =
            images.length === 2 && has(images[0]!, 'nir', 'red') && has(images[1]!, 'nir', 'red') ? [`ndvi(${images[0]}) - ndvi(${images[1]})`] : [];
        return [...changes, ...indices, ...bands.value.map((one) => `mean(${one})`), ...(source.value ? ['area', 'compactness', 'elongation'] : [])];
    });

    const examples = useExamples({
        store,
        views,
        item: asks,
        isOfPixels: computed(() => source.value === null),
        document,
        couplet,
        numbers,
        answers: (one) => sorted.value?.answers.get(one) ?? null,
        shares: (one) => shares.get(one) ?? null,
        column,
        edit: change,
    });

    watch(
        [isOpen, item, numbers, codes, () => document.value?.classes, marked, arm, () => examples.current.value?.number, examples.swept],
        () => {
            if (!isOpen.value || !item.value || !numbers.value || !codes.value || !document.value) return (segments.painted.value = null);
            const colours = coloursOf(codes.value, numbers.value, document.value.classes, arm.value !== null ? marked.value : null);
            const looked = examples.current.value ? new Set([examples.current.value.number]) : null;
            const swept = examples.swept.value.size ? new Set(examples.swept.value.keys()) : null;
            const changed = rule.value !== null && marked.value ? new Set([...marked.value].map((place) => numbers.value![place]!)) : null;
            const stressed = swept ?? changed ?? looked;
            segments.painted.value = { item: item.value.id, colours, stressed };
        },
        { immediate: true },
    );

    async function create(name: string, from: { step?: number; output?: string; upload?: string } | null = null): Promise<number | null> {
        const made = await store.act(() =>
            must(api.POST('/studies/{study}/keys', { params: { path: { study: id } }, body: from ? { from } : { document: emptyKey(name) } })),
        );
        return made?.id ?? null;
    }

    return {
        port,
        isOpen,
        keyId,
        ground,
        source,
        item,
        pixelHectares,
        document,
        problem,
        columns,
        column,
        failure,
        numbers,
        pixels,
        all,
        sorted,
        flow,
        methods,
        told,
        fresh,
        looking,
        selected,
        asking,
        couplet,
        bands,
        proposals,
        examples,
        arm,
        rule,
        isTidied,
        marked,
        shares,
        way,
        change,
        preview,
        settle,
        setLimit,
        create,
        codeOf,
    };
}

export type KeyState = ReturnType<typeof useKey>;
