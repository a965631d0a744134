import type { Inputs, RasterItem, Step } from '../api/client';

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

const MOVED = ['gather.reproject', 'gather.mosaic', 'correct.coregister'];

/** Why a step comes too early or too late, if it does; it can be run all the same. */
export function outOfOrder(kind: string, item: RasterItem | null, before: string[]): string | null {
    const inCounts = item?.raster.bands.some((band) => band.unit === 'counts') ?? false;
    const moved = before.some((one) => MOVED.includes(one));
    if (kind === 'correct.terrain' && inCounts) return 'This image is in counts. Calibrate first: the sensor’s offset would be taken for light of the sky, and slopes in shade be left too dark.';
    if (kind === 'correct.terrain' && !before.includes('correct.dark-object') && !before.includes('correct.surface')) return 'The light that the air adds is still in this image. Taken off first (dark object or surface reflectance), the fit tells of the ground alone.';
    if (kind === 'correct.dark-object' && before.includes('correct.terrain')) return 'The light on slopes was evened out already: what the air adds now differs from slope to slope. Dark object comes before it.';
    if (kind === 'correct.surface' && before.includes('correct.dark-object')) return 'The light that the air adds was taken off already (dark object): taken out once more, dark places fall below zero. Start from reflectance above the air.';
    if (kind === 'correct.surface' && before.includes('correct.terrain')) return 'The light on slopes was evened out already, and the air’s own light with it. Surface reflectance comes before it.';
    if (kind === 'correct.dark-object' && before.includes('correct.surface')) return 'The air was taken out of this image already; its darkest place shows what it really reflects.';
    if (kind === 'correct.dark-object' && inCounts) return 'This image is in counts. It works, but an assumed reflectance and the comparison of dates need reflectance: calibrate first.';
    if (kind === 'correct.haze' && before.includes('correct.terrain')) return 'The light on slopes was evened out already, and with it the haze over them. Haze comes before it.';
    if (kind === 'correct.lines' && moved) return 'This image was resampled already: a bad line is spread over its neighbours there. Mend lines before an image is moved.';
    if (kind === 'correct.speckle' && moved) return 'This image was resampled already, which makes neighbours alike: the number of looks no longer holds. Smooth speckle before an image is moved.';
    if (kind === 'correct.calibrate' && before.includes('correct.calibrate')) return 'This image was calibrated already.';
    if (kind === 'derive.index' && inCounts) return 'This image is in counts: an index of it can’t be compared with that of another scene. Calibrate first.';
    return null;
}
