import { computed, ref, watch, type ComputedRef, type Ref, type ShallowRef } from 'vue';
import proj4 from 'proj4';
import { api, must, type RasterItem } from '../api/client';
import type { Views } from '../views/useViews';
import type { StudyStore } from '../bench/useStudy';
import { toGeographic, type Place } from '../views/geo';
import { change, untaught } from './edit';
import { NO, type Couplet, type KeyDocument, type Side } from './sort';

type Given = NonNullable<NonNullable<Couplet['examples']>['given']>[number];

interface Of {
    store: StudyStore;
    views: Views;
    /** The segments, or the image whose pixels are sorted. */
    item: ComputedRef<RasterItem | null>;
    isOfPixels: ComputedRef<boolean>;
    document: ShallowRef<KeyDocument | null>;
    couplet: ComputedRef<Couplet | null>;
    numbers: ComputedRef<Float64Array | null>;
    answers: (couplet: string) => Int8Array | null;
    shares: (couplet: string) => Float32Array | null;
    column: (measure: string) => Float64Array | null;
    edit: (what: string, next: KeyDocument) => Promise<void>;
}

/** Below it an answer is unsure. */
const SURE = 0.8;

/** Examples of the question at hand: given at places, one by one or in a sweep; and the segments that it is unsure of. */
export function useExamples({ store, views, item, isOfPixels, document, couplet, numbers, answers, shares, column, edit }: Of) {
    const learning = computed(() => (couplet.value?.examples ? couplet.value : null));
    /** The answer whose number is held: segments that are swept over get it. */
    const sweeping = ref<Side | null>(null);
    /** Segments of this sweep by number, each with the place where it was met. */
    const swept: Ref<Map<number, Place>> = ref(new Map());
    /** Which segment lies where, as far as it was looked up: a place never gets another. */
    const known = new Map<string, number>();
    const nameOf = (at: readonly number[]) => `${item.value?.id}/${at.join(',')}`;

    const definition = () => store.study.value?.crs.definition ?? null;
    /** Column and row of a place of the map. */
    function toPixel([x, y]: Place): [number, number] {
        const [x0, x1, x2, y0, y1, y2] = item.value!.raster.transform as [number, number, number, number, number, number];
        const determinant = x1 * y2 - x2 * y1;
        const [dx, dy] = [x - x0, y - y0];
        return [(y2 * dx - x2 * dy) / determinant, (x1 * dy - y1 * dx) / determinant];
    }
    /** Which pixel a place lies in, by its number from 1; 0 outside of the image. */
    function pixelAt(place: Place): number {
        const { width, height } = item.value!.raster;
        const [col, row] = toPixel(place).map(Math.floor) as [number, number];
        return col < 0 || row < 0 || col >= width || row >= height ? 0 : row * width + col + 1;
    }
    function toEarth(place: Place): [number, number] {
        const found = toGeographic(definition(), place);
        // without a CRS places are columns and rows
        return found ? [Number(found[0].toFixed(8)), Number(found[1].toFixed(8))] : toPixel(place);
    }
    function toMap(at: readonly number[]): Place {
        const crs = definition();
        if (crs) return proj4('WGS84', crs, [at[0]!, at[1]!]) as Place;
        const [x0, x1, x2, y0, y1, y2] = item.value!.raster.transform as [number, number, number, number, number, number];
        return [x0 + x1 * at[0]! + x2 * at[1]!, y0 + y1 * at[0]! + y2 * at[1]!];
    }

    /** Numbers of the segments at places that were given before. */
    async function lookUp(given: Given[]): Promise<void> {
        const missing = given.filter((one) => !known.has(nameOf(one.at)));
        if (isOfPixels.value) return missing.forEach((one) => known.set(nameOf(one.at), pixelAt(toMap(one.at))));
        for (let from = 0; from < missing.length; from += 400) {
            const some = missing.slice(from, from + 400);
            const points = some.map((one) => toMap(one.at).join(',')).join(';');
            const found = await must(api.GET('/items/{item}/values', { params: { path: { item: item.value!.id }, query: { points } } }));
            some.forEach((one, i) => known.set(nameOf(one.at), found[i]?.[0] ?? 0));
        }
    }

    /** Gives segments an answer; one that they had gives way, and the same again takes it back where only one is meant. */
    async function give(answer: Side, places: Map<number, Place>): Promise<void> {
        const [now, key] = [learning.value, document.value];
        if (!now || !key || !item.value || !places.size) return;
        const rest = untaught(now.examples!);
        const given = rest.given ?? [];
        await lookUp(given);
        const had = given.filter((one) => places.has(known.get(nameOf(one.at)) ?? 0));
        const isTakenBack = places.size === 1 && had.length > 0 && had.every((one) => one.answer === answer);
        const kept = given.filter((one) => !places.has(known.get(nameOf(one.at)) ?? 0));
        const fresh = isTakenBack
            ? []
            : [...places].map(([number, place]) => {
                  const at = toEarth(place);
                  known.set(nameOf(at), number);
                  return { at, answer };
              });
        const what = isTakenBack ? 'an example taken back' : places.size === 1 ? 'an example' : `${places.size} examples`;
        await edit(what, change(key, now.id, { examples: { ...rest, given: [...kept, ...fresh] } }));
    }

    function sweep(number: number, place: Place): void {
        if (sweeping.value && number && !swept.value.has(number)) swept.value = new Map(swept.value).set(number, place);
    }
    function begin(answer: Side): void {
        if (!learning.value || sweeping.value) return;
        sweeping.value = answer;
        swept.value = new Map();
    }
    async function end(): Promise<void> {
        const [answer, places] = [sweeping.value, swept.value];
        sweeping.value = null;
        swept.value = new Map();
        if (!answer) return;
        if (places.size) await give(answer, places);
        else if (current.value) await answerCurrent(answer);
    }

    /** Segments that the question is unsure of, the most unsure first. */
    const unsure = computed(() => {
        const now = isOfPixels.value ? null : learning.value;
        const [some, asked] = now ? [shares(now.id), answers(now.id)] : [null, null];
        if (!some || !asked || !numbers.value) return null;
        const places: number[] = [];
        for (let i = 0; i < asked.length; i++) if (asked[i]! >= NO && Math.max(some[i]!, 1 - some[i]!) < SURE) places.push(i);
        places.sort((a, b) => Math.abs(some[a]! - 0.5) - Math.abs(some[b]! - 0.5));
        return { count: places.length, places, shares: some };
    });
    /** Which of the unsure is looked at. */
    const at = ref<number | null>(null);
    const current = computed(() => {
        const place = at.value === null ? undefined : unsure.value?.places[at.value];
        return place === undefined ? null : { place, number: numbers.value![place]!, share: unsure.value!.shares[place]! };
    });
    // where segments lie is known before one is looked for
    watch([learning, isOfPixels], ([now, isPixels]) => now && !isPixels && (column('x'), column('y')), { immediate: true });
    function show(): void {
        const [x, y, pixels] = [column('x'), column('y'), column('pixels')];
        if (!current.value || !x || !y || !pixels || !item.value) return;
        const { place } = current.value;
        const { transform } = item.value.raster;
        // large enough to be judged, with what lies around it
        const pixel = Math.hypot(transform[1]!, transform[4]!);
        const wanted = Math.max(pixel / 10, (Math.sqrt(pixels[place]!) * pixel) / 40);
        views.shared.goTo([x[place]!, y[place]!], Math.min(views.shared.view.getResolution() ?? 1, wanted), 1);
    }
    // once the answer has come another is the most unsure
    watch(
        () => current.value?.number,
        (now, was) => now !== undefined && was !== undefined && show(),
    );
    function step(by: number): void {
        const count = unsure.value?.places.length ?? 0;
        if (!count) return void (at.value = null);
        at.value = at.value === null ? 0 : Math.min(count - 1, Math.max(0, at.value + by));
        show();
    }
    /** The one that is looked at gets an answer, and the next comes. */
    async function answerCurrent(answer: Side): Promise<void> {
        const now = current.value;
        const place = now && (await inside(now.number, now.place));
        if (!now || !place) return;
        await give(answer, new Map([[now.number, place]]));
    }
    /** A place inside a segment: its middle, or where it lies in rows beside it. */
    async function inside(number: number, place: number): Promise<Place | null> {
        const [x, y] = [column('x')?.[place], column('y')?.[place]];
        if (x === undefined || y === undefined || !item.value) return null;
        const { transform } = item.value.raster;
        const [wide, high] = [Math.hypot(transform[1]!, transform[4]!), Math.hypot(transform[2]!, transform[5]!)];
        const tried: Place[] = [];
        for (let ring = 0; ring < 11 && tried.length < 480; ring++)
            for (let dy = -ring; dy <= ring; dy++)
                for (let dx = -ring; dx <= ring; dx++) if (Math.max(Math.abs(dx), Math.abs(dy)) === ring) tried.push([x + dx * wide, y + dy * high]);
        const some = tried.slice(0, 480);
        const found = await must(
            api.GET('/items/{item}/values', { params: { path: { item: item.value.id }, query: { points: some.map((one) => one.join(',')).join(';') } } }),
        ).catch(() => []);
        return some[found.findIndex((one) => one?.[0] === number)] ?? null;
    }

    /** Places of the examples on the map. */
    const marks = computed(() =>
        learning.value && item.value ? (learning.value.examples!.given ?? []).map((one) => ({ place: toMap(one.at), answer: one.answer })) : [],
    );

    return { learning, isOfPixels, pixelAt, sweeping, swept, unsure, at, current, marks, give, sweep, begin, end, step, answerCurrent };
}
