import { api, must, type Inputs, type Settings } from '../api/client';
import { queries } from '../api/queries';

/** What a key is asked of: the kind of step with its inputs and settings, without the key. */
export interface Ground {
    kind: string;
    inputs: Inputs;
    settings: Settings;
}

/** A measure or formula for all segments, or for a sample of pixels; “segment” are the numbers. Asked for once. */
export function measured(study: number, ground: Ground, measure: string): Promise<Float64Array> {
    return queries.fetchQuery({
        queryKey: ['measured', study, ground, measure],
        staleTime: Infinity,
        gcTime: 600_000,
        queryFn: async () => {
            const body = { ...ground, measure };
            return new Float64Array(await must(api.POST('/studies/{study}/keys/column', { params: { path: { study } }, body, parseAs: 'arrayBuffer' })));
        },
    });
}

function bytes(text: string): ArrayBuffer {
    const raw = atob(text);
    const out = new Uint8Array(raw.length);
    for (let i = 0; i < raw.length; i++) out[i] = raw.charCodeAt(i);
    return out.buffer;
}

export const floats = (text: string) => new Float32Array(bytes(text));
export const shorts = (text: string) => new Uint16Array(bytes(text));
export const longs = (text: string) => new Uint32Array(bytes(text));
