import { isRaster, type Inputs, type Kind, type RasterItem, type Step, type Study } from '../api/client';
import { findItem, throughTime } from '../views/look';

/** What another date offers beside a correction: its image before and after the like correction. */
export interface OtherDate {
    date: string;
    before: RasterItem;
    after: RasterItem;
}

function inputItem(study: Study, step: Step, port: string): RasterItem | null {
    const input = (step.inputs as Inputs)[port];
    return input?.step ? findItem(study, { step: input.step, output: input.output ?? 'result' }, []) : null;
}

/** The date that an image was moved onto, or the nearest of those to which the same correction was done. */
export function otherDate(study: Study, step: Step, kind: Kind, now: { before: RasterItem; after: RasterItem }): OtherDate | null {
    const reference = inputItem(study, step, 'reference');
    if (reference?.raster.date && reference.raster.date !== now.after.raster.date) return { date: reference.raster.date, before: reference, after: reference };
    const port = kind.inputs.find((one) => one.type === 'image')?.name ?? '';
    const at = Date.parse(now.after.raster.time ?? now.after.raster.date ?? '');
    return (
        throughTime(study, { step: step.id, output: 'result' })
            .filter((one) => one.date !== now.after.raster.date)
            .sort((a, b) => Math.abs(Date.parse(a.time) - at) - Math.abs(Date.parse(b.time) - at))
            .flatMap((one) => {
                const made = study.steps.find((other) => other.id === one.source.step)!;
                const after = made.items.find((item) => item.output === 'result');
                const before = inputItem(study, made, port);
                return before && after && isRaster(after) ? [{ date: one.date, before, after }] : [];
            })[0] ?? null
    );
}
