import type { Inputs, Kind, RasterItem, Step } from '../api/client';
import { sameSource, type Source } from '../views/look';

interface Candidate { source: Source; label: string; item?: RasterItem }

/** Corrections that are made on counts, before they mean anything. */
const ON_COUNTS = ['correct.lines', 'correct.gaps', 'correct.calibrate', 'correct.mask', 'correct.geocode', 'correct.backscatter'];

const inCounts = (item: RasterItem | undefined) => item?.raster.bands.some((band) => band.unit === 'counts') ?? false;

/** What corrections have made of a source, and of that again; the furthest last. */
function corrected(source: Source, steps: Step[]): Source[] {
    const found: Source[] = [];
    for (const step of steps) {
        const input = (step.inputs as Inputs).image ?? (step.inputs as Inputs).moving;
        const from = input?.step ? { step: input.step, output: input.output ?? 'result' } : null;
        if (step.kind.startsWith('correct.') && from && [source, ...found].some((one) => sameSource(one, from)) && step.items.some((item) => item.output === 'result' && item.type === 'image')) {
            found.push({ step: step.id, output: 'result' });
        }
    }
    return found;
}

/**
 * What an input starts on: what is looked at, else the last of the newest date; but never counts where something calibrated was made of
 * them, and after the corrections the furthest corrected.
 */
export function bestSource(kind: Kind, candidates: Candidate[], steps: Step[], seen: (Source | null)[]): Candidate | undefined {
    const find = (source: Source | null) => (source ? candidates.find((one) => sameSource(one.source, source)) : undefined);
    const newest = [...candidates].sort((a, b) => (a.item?.raster.date ?? '').localeCompare(b.item?.raster.date ?? ''));
    const start = seen.map(find).find(Boolean) ?? newest[newest.length - 1];
    if (!start || ON_COUNTS.includes(kind.id) || !inCounts(start.item)) return start;
    const made = corrected(start.source, steps).map(find).filter((one): one is Candidate => one !== undefined && !inCounts(one.item));
    return (kind.stage === 'correct' ? made[0] : made[made.length - 1]) ?? start;
}
