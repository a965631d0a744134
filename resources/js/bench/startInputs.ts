import type { Inputs, Kind, Port, RasterItem, Step, Study } from '../api/client';
import { rasterSources, sameGrid, sameSource, type Source } from '../views/look';

export interface Candidate {
    source: Source;
    label: string;
    item?: RasterItem;
}

const inCounts = (item: RasterItem | undefined) => item?.raster.bands.some((band) => band.unit === 'counts') ?? false;

/** What corrections have made of a source, and of that again; the furthest last. */
function corrected(source: Source, steps: Step[]): Source[] {
    const found: Source[] = [];
    for (const step of steps) {
        const input = (step.inputs as Inputs).image ?? (step.inputs as Inputs).moving;
        const from = input?.step ? { step: input.step, output: input.output ?? 'result' } : null;
        if (
            step.kind.startsWith('correct.') &&
            from &&
            [source, ...found].some((one) => sameSource(one, from)) &&
            step.items.some((item) => item.output === 'result' && item.type === 'image')
        ) {
            found.push({ step: step.id, output: 'result' });
        }
    }
    return found;
}

/**
 * What an input starts on: what is looked at, else the last of the newest date; but never counts where something calibrated was made of
 * them, and after the corrections the furthest corrected.
 */
function bestSource(kind: Kind, port: Port, candidates: Candidate[], steps: Step[], seen: (Source | null)[]): Candidate | undefined {
    const find = (source: Source | null) => (source ? candidates.find((one) => sameSource(one.source, source)) : undefined);
    const newest = [...candidates].sort((a, b) => (a.item?.raster.date ?? '').localeCompare(b.item?.raster.date ?? ''));
    const start = seen.map(find).find(Boolean) ?? newest[newest.length - 1];
    if (!start || port.wants === 'counts' || !inCounts(start.item)) return start;
    const made = corrected(start.source, steps)
        .map(find)
        .filter((one): one is Candidate => one !== undefined && !inCounts(one.item));
    return (kind.stage === 'correct' ? made[0] : made[made.length - 1]) ?? start;
}

/** What a study holds that fits an input of a type. */
export function candidatesFor(study: Study | null, type: string): Candidate[] {
    if (!study) return [];
    if (!['image', 'classes', 'segments'].includes(type)) {
        const types = type === 'features' ? ['features', 'outlines'] : [type];
        return study.steps.flatMap((one) =>
            one.items
                .filter((item) => types.includes(item.type))
                .map((item) => ({ source: { step: one.id, output: item.output }, label: `${one.number} ${one.called ?? one.title.toLowerCase()}` })),
        );
    }
    return rasterSources(study).filter(({ item }) => type === 'image' || item.raster.content === type);
}

/** What an input may well be: heights come from outside, as one band without a role; the air is taken out of what was calibrated. */
function likely(port: Port, fresh: Candidate[], steps: Step[]): Candidate[] {
    if (port.wants === 'heights') {
        return fresh.filter(
            ({ source, item }) =>
                item?.raster.content === 'image' &&
                item.raster.bands.length === 1 &&
                !item.raster.bands[0]!.role &&
                steps.some((other) => other.id === source.step && other.kind.startsWith('gather.')),
        );
    }
    if (port.wants === 'pan') return fresh.filter(({ item }) => item?.raster.bands.length === 1 && item.raster.bands[0]!.role === 'pan');
    // of colour, where there is a choice
    const isColour = (item: RasterItem | undefined) => item?.raster.bands.some((band) => band.unit === 'reflectance' && band.role !== 'pan');
    return port.wants === 'reflectance' || port.wants === 'scene' ? fresh.filter(({ item }) => isColour(item)) : [];
}

/** Those that have most of the bands that a kind asks for by role. */
function withMostBands(kind: Kind, port: Port, candidates: Candidate[]): Candidate[] {
    const first = kind.inputs[0]?.name;
    const roles = kind.settings.filter((one) => one.type === 'band' && (one.input ?? first) === port.name).map((one) => one.default);
    const has = ({ item }: Candidate) => item?.raster.bands.filter((band) => band.role && roles.includes(band.role)).length ?? 0;
    const most = Math.max(0, ...candidates.map(has));
    return most ? candidates.filter((one) => has(one) === most) : candidates;
}

/** The last that was made of each date, of those that lie on the grid of the newest and hold the same. */
function eachDate(candidates: Candidate[]): Candidate[] {
    const dated = candidates.filter(({ item }) => item?.raster.date);
    const newest = dated.reduce<Candidate | undefined>((best, one) => (best && best.item!.raster.date! > one.item!.raster.date! ? best : one), undefined);
    if (!newest) return candidates.slice(-1);
    const names = ({ item }: Candidate) => (item!.raster.legend ?? []).map((entry) => entry.name);
    const roles = ({ item }: Candidate) => item!.raster.bands.map((band) => band.role ?? band.label).join();
    const alike = dated.filter(
        (one) =>
            sameGrid(one.item!.raster.own, newest.item!.raster.own) &&
            roles(one) === roles(newest) &&
            (one.item!.raster.content !== 'classes' || names(one).some((name) => names(newest).includes(name))),
    );
    return [...new Set(alike.map(({ item }) => item!.raster.date!))].sort().map((date) => alike.filter(({ item }) => item!.raster.date === date).pop()!);
}

/** What an input that takes several starts on: the best there is; of each date the best, where it wants dates. */
function startMany(kind: Kind, port: Port, study: Study, seen: (Source | null)[]): Candidate[] {
    const all = candidatesFor(study, port.type);
    if (!port.wants) {
        // what has bands by role says more than what was derived of it
        const spectral = all.filter(({ item }) => item?.raster.bands.some((band) => band.role));
        return [bestSource(kind, port, spectral.length ? spectral : all, study.steps, seen)].filter((one) => one !== undefined);
    }
    if (port.wants === 'dates') return eachDate(all);
    const wanted = likely(port, all, study.steps).filter(({ item }) => item?.raster.date);
    if (port.wants === 'scene') {
        // of the date that the views show, the furthest that corrections have come
        const shown = all.find(({ source }) => seen.some((one) => sameSource(one, source)))?.item?.raster.date;
        const own = wanted.filter(({ item }) => item!.raster.date === shown);
        return [(own.length ? own : wanted.length ? wanted : all).slice(-1)[0]].filter((one) => one !== undefined);
    }
    const dates = [...new Set(wanted.map(({ item }) => item!.raster.date!))].sort();
    // the furthest that corrections have come: what was made last of a date
    const last = dates.map((date) => wanted.filter(({ item }) => item!.raster.date === date && item!.raster.bands.length > 1).pop());
    const first = last.find(Boolean)?.item;
    // dates that can be taken together: with the same bands, on one grid
    const roles = (item: RasterItem | undefined) => item?.raster.bands.map((band) => band.role).join();
    return last.filter((one) => one !== undefined && roles(one.item) === roles(first) && sameGrid(one.item!.raster.own, first!.raster.own)) as Candidate[];
}

/** Images of several bands that have come furthest: reflectance where there is any. */
function twoDates(all: Candidate[]): Candidate[] {
    const colour = all.filter(({ item }) => item!.raster.content === 'image' && item!.raster.bands.length > 2 && item!.raster.bands.every((band) => band.role));
    const measured = colour.filter(({ item }) => item!.raster.bands.some((band) => band.unit === 'reflectance'));
    return [measured, colour, all].find((some) => new Set(some.map(({ item }) => item?.raster.date)).size > 1) ?? all;
}

/** The inputs of a new step: those given that are still there, then the best there is; `seen` is what the views show, what counts first in front. */
export function startInputs(kind: Kind, given: Inputs, study: Study, seen: (Source | null)[]): Inputs {
    const isThere = (step: number | undefined) => study.steps.some((other) => other.id === step);
    const inputs: Inputs = { ...given };
    for (const port of kind.inputs) {
        if (port.many) {
            for (const name of Object.keys(inputs)) if (name.startsWith(`${port.name}:`) && !isThere(inputs[name]!.step)) delete inputs[name];
            const isEmpty = !Object.keys(inputs).some((name) => name.startsWith(`${port.name}:`));
            // what is gathered comes in an order that only its owner knows
            if (isEmpty && port.required && kind.stage !== 'gather')
                startMany(kind, port, study, seen).forEach(({ source }, i) => (inputs[`${port.name}:${i + 1}`] = { step: source.step, output: source.output }));
            continue;
        }
        const input = inputs[port.name];
        if (input && (input.step === undefined ? input.upload || input.demo || study.drawings.some((one) => one.id === input.drawing) : isThere(input.step)))
            continue;
        // two images are wanted for their difference
        const found = candidatesFor(study, port.type);
        // numbers of classes and segments are values only where something is handed on
        const values = kind.stage === 'deliver' ? [] : found.filter(({ item }) => item?.raster.content === 'image');
        const all = port.type === 'image' && values.length ? values : found;
        const fresh = all.filter(({ source }) => !Object.values(inputs).some((other) => sameSource(other as Source, source)));
        if (port.wants === 'before' || port.wants === 'after') {
            const dates = eachDate(twoDates(all));
            const one = port.wants === 'before' ? (dates.length > 1 ? dates[0] : undefined) : dates[dates.length - 1];
            if (one) {
                inputs[port.name] = { step: one.source.step, output: one.source.output };
                continue;
            }
        }
        const candidates = [likely(port, fresh, study.steps), fresh].find((some) => some.length) ?? all;
        const chosen = bestSource(kind, port, withMostBands(kind, port, candidates), study.steps, seen);
        // of several of which one is wanted, the first
        const isWanted = port.required || (port === kind.inputs[0] && !kind.inputs.some((one) => one.required));
        if (chosen && isWanted) inputs[port.name] = { step: chosen.source.step, output: chosen.source.output };
        else delete inputs[port.name];
    }
    return inputs;
}
