import type { Step } from '../api/client';
import { short } from '../plots/format';

/** What a step's line on the trail says beside its title: what was chosen. */
export function choiceOf(step: Step): string {
    const { settings } = step;
    const list = (value: unknown) => (Array.isArray(value) ? value.map((one) => (typeof one === 'number' ? short(one) : String(one))).join(', ') : String(value ?? ''));
    switch (step.kind) {
        case 'gather.bundle':
            return list(settings.groups ?? 'multispectral');
        case 'gather.order':
            return String(settings.scene ?? '');
        case 'gather.reproject':
            return settings.crs ? `EPSG:${settings.crs}` : String(settings.resampling ?? 'nearest');
        case 'gather.mosaic':
            return String(settings.overlap ?? 'first');
        case 'correct.calibrate':
            return String(settings.to ?? 'toa-reflectance').replaceAll('-', ' ');
        case 'derive.index':
            return String(settings.index ?? 'ndvi');
        case 'segment.slice':
            return `at ${list(settings.limits)}`;
        case 'assess.draw':
            return `${settings.design ?? 'stratified'}, ${settings.points ?? 100}`;
        default:
            return '';
    }
}

/** The state in plain words. */
export function stateOf(step: Step): string {
    switch (step.state) {
        case 'running':
            return `running · ${step.secondsLeft === null ? step.doing ?? '' : `${step.secondsLeft} s left`}`;
        case 'stale':
            return step.staleBy ? `stale: step ${step.staleBy} was made anew` : 'stale: what was drawn is another now';
        case 'done':
            return '';
        default:
            return step.state;
    }
}

export const stateTone: Record<string, string> = { stale: 'text-ochre', failed: 'text-madder', stopped: 'text-ochre' };
