import type { Step } from '../api/client';

/** The state in plain words. */
export function stateOf(step: Step): string {
    switch (step.state) {
        case 'running':
            return `running · ${step.secondsLeft === null ? (step.doing ?? '') : `${step.secondsLeft} s left`}`;
        case 'stale':
            return step.staleBy ? `stale: step ${step.staleBy} was run again` : 'stale: a drawing or the key changed';
        case 'done':
            return '';
        default:
            return step.state;
    }
}

export const stateTone: Record<string, string> = { stale: 'text-ochre', failed: 'text-madder', stopped: 'text-ochre' };
