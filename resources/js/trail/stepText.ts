import type { Step } from '../api/client';

/** The state in plain words. */
export function stateOf(step: Step): string {
    switch (step.state) {
        case 'running':
            return `running · ${step.secondsLeft === null ? (step.doing ?? '') : `${step.secondsLeft} s left`}`;
        case 'stale':
            return 'stale';
        case 'done':
            return '';
        default:
            return step.state;
    }
}

/** Why a step is stale. */
export function whyOf(step: Step): string | undefined {
    if (step.state !== 'stale') return undefined;
    return step.staleBy ? `step ${step.staleBy} run again` : 'drawing or key changed';
}

export const stateTone: Record<string, string> = { stale: 'text-ochre', failed: 'text-madder', stopped: 'text-ochre' };
