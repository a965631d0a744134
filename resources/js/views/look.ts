import { api, must, type Histogram, type Item, type Raster, type RasterItem, type Step, type Study } from '../api/client';
import { queries } from '../api/queries';
import type { Style } from './paint';
import { endsFor, rampFor } from './ramps';
import type { LineLook } from './vectors/styles';

/** An item by the step and output that make it: it stays the same when the step is run again. */
export interface Source {
    step: number;
    output: string;
}

/** What a view shows, as its caption says it. */
export interface Look {
    source: Source | null;
    bands: [number, number, number] | null;
    band: number;
    single: boolean;
    /** Null for the one that fits what the band is. */
    ramp: string | null;
    clip: [number, number];
    limits: Record<number, [number, number]>;
    over: Source | null;
    opacity: number;
    /** The same at an earlier date, laid into one picture with it: one band, before in red, after in its opposite. */
    before: Source | null;
    /** Points and lines over all, the last on top. */
    lines: LineLook[];
}

export function emptyLook(): Look {
    return { source: null, bands: null, band: 1, single: false, ramp: null, clip: [2, 98], limits: {}, over: null, opacity: 0.6, before: null, lines: [] };
}

export function findItem(study: Study, source: Source | null, trials: Item[]): RasterItem | null {
    if (!source) return null;
    if (source.step < 0) return (trials.find((item) => item.output === source.output && item.raster) as RasterItem | undefined) ?? null;
    const step = study.steps.find((one) => one.id === source.step);
    const items = step?.items.filter((item) => item.output === source.output && item.raster) ?? [];
    return (items[items.length - 1] as RasterItem | undefined) ?? null;
}

/** The usual three bands: near infrared, red and green where they are, or three polarisations, else the first three; null for images of fewer. */
export function usualBands(item: RasterItem, natural = false): [number, number, number] | null {
    // differences say nothing as colours among others
    if (item.raster.bands.some((band) => band.scale === 'signed' || band.scale === 'ratio')) return null;
    const by = (role: string) => item.raster.bands.find((band) => band.role === role)?.number;
    const roles = natural ? ['red', 'green', 'blue'] : ['nir', 'red', 'green'];
    const numbers = roles.map(by);
    if (numbers.every((number) => number !== undefined)) return numbers as [number, number, number];
    const radar = ['hh', 'hv', 'vv'].map(by);
    if (radar.every((number) => number !== undefined)) return radar as [number, number, number];
    // nor do phases and probabilities, or measures of different kinds
    if (item.raster.bands.some((band) => band.scale)) return null;
    if (item.raster.bands.some((band) => !band.role && band.label !== `band ${band.number}`)) return null;
    const count = item.raster.bands.length;
    return count >= 3 ? [3, 2, 1] : null;
}

/** A look for an item that was never shown: what a person most likely wants to see of it. */
export function lookFor(item: RasterItem, source: Source, natural = false): Look {
    const bands = usualBands(item, natural);
    // of what is shown by one band, vegetation's says most
    const nir = item.raster.bands.find((band) => band.scale && band.role === 'nir')?.number;
    return { ...emptyLook(), source, bands, single: bands === null, band: nir ?? 1, clip: bands ? [2, 98] : [0.5, 99.5] };
}

export function histogram(item: Item, band: number, bins = 512): Promise<Histogram> {
    return queries.fetchQuery({
        queryKey: ['histogram', item.id, band, bins],
        queryFn: () => must(api.GET('/items/{item}/histogram', { params: { path: { item: item.id }, query: { band, bins } } })),
    });
}

/** Values below which the given per cent of the pixels lie. */
export function percentiles(data: Histogram, clip: [number, number]): [number, number] {
    const width = (data.maximum - data.minimum) / data.counts.length;
    const at = (percent: number): number => {
        const target = (data.pixels * percent) / 100;
        let sum = 0;
        for (let i = 0; i < data.counts.length; i++) {
            const count = data.counts[i]!;
            if (sum + count >= target && count > 0) return data.minimum + (i + (target - sum) / count) * width;
            sum += count;
        }
        return data.maximum;
    };
    const low = at(clip[0]);
    const high = at(clip[1]);
    return high > low ? [low, high] : [low, low + Math.max(1e-9, Math.abs(low) * 1e-6)];
}

/** Ends of the stretch of a band, by its histogram and by what its values are counted from. */
export function stretched(item: RasterItem, band: number, data: Histogram, clip: [number, number]): [number, number] {
    return endsFor(
        item.raster.bands.find((one) => one.number === band),
        percentiles(data, clip),
    );
}

async function limitsOf(item: RasterItem, look: Look, band: number): Promise<[number, number]> {
    return look.limits[band] ?? stretched(item, band, await histogram(item, band), look.clip);
}

/** A band of the same name at another date, on the same grid; null where there is none. */
export function sameBand(item: RasterItem, band: number, other: RasterItem | null): boolean {
    const [one, two] = [item.raster.bands.find((entry) => entry.number === band), other?.raster.bands.find((entry) => entry.number === band)];
    return Boolean(one && two && (one.role ?? one.label) === (two.role ?? two.label) && sameGrid(item.raster.own, other!.raster.own));
}

/** Both dates in one picture. */
export async function styleOfDates(item: RasterItem, before: RasterItem, look: Look): Promise<Style> {
    const band = Math.min(look.band, item.raster.bands.length);
    // both by the same stretch where the unit says that they can be compared: grey is then what did not change
    const limits = await limitsOf(item, look, band);
    const isMeasured = item.raster.bands[band - 1]?.unit !== 'counts';
    return { kind: 'dates', other: before.id, band, limits, before: isMeasured ? limits : percentiles(await histogram(before, band), look.clip) };
}

/** From what a caption says to how values become colours. */
export async function styleOf(item: RasterItem, look: Look): Promise<Style> {
    const { raster } = item;
    if (raster.content === 'classes')
        return { kind: 'classes', colours: Object.fromEntries((raster.legend ?? []).map((entry) => [entry.value, entry.colour])) };
    if (raster.content === 'segments') return { kind: 'segments' };
    if (look.single || !look.bands || Math.max(...look.bands) > raster.bands.length) {
        const band = Math.min(look.band, raster.bands.length);
        return { kind: 'ramp', band, ramp: look.ramp ?? rampFor(raster.bands[band - 1]), limits: await limitsOf(item, look, band) };
    }
    const limits = await Promise.all(look.bands.map((band) => limitsOf(item, look, band)));
    return { kind: 'composite', bands: look.bands, limits };
}

/** How an item is called in captions and lists. */
export function itemLabel(step: Step | undefined, output: string): string {
    if (!step) return 'trial';
    const name = output !== 'result' ? output : (step.called ?? step.title.toLowerCase());
    return `${step.number} ${name}`;
}

export function rasterSources(study: Study): { source: Source; item: RasterItem; label: string }[] {
    return study.steps.flatMap((step) =>
        step.items
            .filter((item) => item.raster)
            .map((item) => ({ source: { step: step.id, output: item.output }, item: item as RasterItem, label: itemLabel(step, item.output) })),
    );
}

/** The same thing at other times: items that a like step made under the same name, in the order of their dates. */
export function throughTime(study: Study, source: Source | null): { source: Source; date: string; time: string }[] {
    const step = study.steps.find((one) => one.id === source?.step);
    if (!source || !step) return [];
    return rasterSources(study)
        .flatMap(({ source: other, item }) => {
            const made = study.steps.find((one) => one.id === other.step)!;
            const alike =
                other.output === source.output &&
                (made.kind === step.kind || (made.kind.startsWith('gather.') && step.kind.startsWith('gather.'))) &&
                itemLabel(made, other.output).replace(/^\d+ /, '') === itemLabel(step, source.output).replace(/^\d+ /, '');
            return alike && item.raster.date ? [{ source: other, date: item.raster.date, time: item.raster.time ?? item.raster.date }] : [];
        })
        .sort((a, b) => a.time.localeCompare(b.time) || a.source.step - b.source.step);
}

/** Same size, place and CRS, to a thousandth of a pixel. */
export function sameGrid(a: Raster['own'], b: Raster['own']): boolean {
    const pixel = Math.hypot(a.transform[1]!, a.transform[4]!);
    return (
        a.width === b.width &&
        a.height === b.height &&
        a.epsg === b.epsg &&
        a.transform.every((value, i) => Math.abs(value - b.transform[i]!) < (1e-3 * pixel) / (i % 3 ? Math.max(a.width, a.height) : 1))
    );
}

export function sameSource(a: Source | null, b: Source | null): boolean {
    return a?.step === b?.step && a?.output === b?.output;
}
