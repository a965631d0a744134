import { isRaster, type Inputs, type Step } from '../api/client';

/** The steps that a step takes something from. */
export function usedBy(step: Step): number[] {
    return Object.values(step.inputs as Inputs).flatMap((input) => (input.step ? [input.step] : []));
}

/** The date of what each step made, else of what it works on. Steps come in their order, so what they use is known before. */
export function datesOf(steps: Step[]): Map<number, string> {
    const dates = new Map<number, string>();
    const at = new Map(steps.map((step, i) => [step.id, i]));
    for (const [i, step] of steps.entries()) {
        const first = Math.min(...usedBy(step).map((id) => at.get(id) ?? Infinity));
        const from = first < i ? dates.get(steps[first]!.id) : undefined;
        dates.set(step.id, step.items.find(isRaster)?.raster.date ?? from ?? '');
    }
    return dates;
}
