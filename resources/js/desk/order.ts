import type { Inputs, Kind, RasterItem, Step } from '../api/client';

/** The kinds of step that made what an input holds, the last first. */
export function chain(steps: Step[], inputs: Inputs): string[] {
    const found: string[] = [];
    const follow = (from: Inputs): void => {
        for (const input of Object.values(from)) {
            const step = steps.find((one) => one.id === input.step);
            if (step && !found.includes(step.kind)) {
                found.push(step.kind);
                follow(step.inputs as Inputs);
            }
        }
    };
    follow(inputs);
    return found;
}

/** Why a step comes too early or too late, if it does; it can be run all the same. */
export function outOfOrder(kind: Kind, kinds: Kind[], item: RasterItem | null, before: string[]): string | null {
    const inCounts = item?.raster.bands.some((band) => band.unit === 'counts') ?? false;
    const isMoved = before.some((id) => kinds.find((one) => one.id === id)?.desk.moves);
    const holds = kind.desk.cautions.find(
        (caution) =>
            (!caution.after.length || caution.after.some((id) => before.includes(id))) &&
            !caution.without.some((id) => before.includes(id)) &&
            (!caution.counts || inCounts) &&
            (!caution.moved || isMoved),
    );
    return holds?.text ?? null;
}
