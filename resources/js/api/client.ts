import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

export type Study = components['schemas']['Study'];
export type News = components['schemas']['News'];
export type Figure = components['schemas']['Figure'];
export type StudyEntry = components['schemas']['StudyEntry'];
export type Step = components['schemas']['Step'];
export type Item = components['schemas']['Item'];
export type Raster = components['schemas']['Raster'];
export type Kind = components['schemas']['Kind'];
export type Setting = components['schemas']['Setting'];
export type Port = components['schemas']['Port'];
export type Peg = components['schemas']['Peg'];
export type Histogram = components['schemas']['Histogram'];
export type ProposedLimits = components['schemas']['ProposedLimits'];
export type Drawing = components['schemas']['Drawing'];
export type Rows = components['schemas']['Rows'];
export type Mark = components['schemas']['Mark'];
export type Agreement = components['schemas']['Agreement'];
export type Matrix = components['schemas']['Matrix'];
export type Work = components['schemas']['Work'];
export type Inputs = components['schemas']['Inputs'];
export type Upload = components['schemas']['Upload'];
export type Archive = components['schemas']['Archive'];
export type Scene = components['schemas']['Scene'];
export type Found = components['schemas']['Found'];
export type Scatter = components['schemas']['Scatter'];
export type Between = components['schemas']['Between'];
export type Compared = components['schemas']['Compared'];
export type Area = components['schemas']['Area'];
export type Measured = components['schemas']['Measured'];
export type AtPegs = components['schemas']['AtPegs'];
export type Spectra = components['schemas']['Spectra'];
export type SignatureLibrary = components['schemas']['SignatureLibrary'];
export type Settings = components['schemas']['Settings'];
export type RasterItem = Item & { raster: Raster };

/** Tells this page from others: of what it asks while something is drawn along only the newest counts. */
const page = crypto.randomUUID();
const newest = new Map<string, AbortController>();
const isReplaced = (url: string) => /\/(keys\/look|at-pegs|training|spectra)$/.test(url);

/** Looks that find no place on a busy server ask again, until this page asks for something newer: then they are given up. */
async function patient(request: Request): Promise<Response> {
    const giveUp = new AbortController();
    if (isReplaced(request.url)) {
        newest.get(request.url)?.abort();
        newest.set(request.url, giveUp);
    }
    for (let tries = 0; ; tries++) {
        const response = await fetch(request.clone(), { signal: giveUp.signal });
        if (response.status !== 503 || !response.headers.has('Retry-After') || tries === 100) return response;
        await new Promise((done) => setTimeout(done, 80 + 120 * Math.random()));
    }
}

export const api = createClient<paths>({ baseUrl: '/api', headers: { Accept: 'application/json', 'X-Page': page }, fetch: patient });

/** One sentence for the person, and what it is about (a setting or an input). */
export class Problem extends Error {
    /**
     * @param isFinal  asking again would tell the same
     * @param at  where in a text, both from 1
     * @param isOutdated  somebody else changed meanwhile what was to be changed
     */
    constructor(
        message: string,
        readonly about: string | null = null,
        readonly isFinal = true,
        readonly at: { line: number; character: number } | null = null,
        readonly isOutdated = false,
    ) {
        super(message);
    }
}

/** Where a password is set and this browser is not signed in (any more), it is asked for. */
export function signedOut(): void {
    location.assign('/login');
}

let isOverwriting = false;

/** That something is changed only where it still is as it was seen: the server answers 412 where it is not. */
export const ifMatch = (stamp: string | number | null | undefined) =>
    stamp === null || stamp === undefined || isOverwriting ? {} : { headers: { 'If-Match': `"${stamp}"` } };

/** Does something whatever somebody else changed meanwhile. */
export async function overwriting<T>(action: () => Promise<T>): Promise<T> {
    isOverwriting = true;
    try {
        return await action();
    } finally {
        isOverwriting = false;
    }
}

/** The data of an answer; anything else is a problem. */
export async function must<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
    let answer;
    try {
        answer = await call;
    } catch (error) {
        if ((error as Error).name === 'AbortError') throw new Problem('This page has asked for something newer meanwhile.');
        throw new Problem('The server does not answer: is it still running?', null, false);
    }
    if (answer.response.status === 401) signedOut();
    if (!answer.response.ok) {
        const error = answer.error as { title?: string; about?: string; at?: { line: number; character: number } } | undefined;
        const { status } = answer.response;
        throw new Problem(error?.title ?? 'The server refused this.', error?.about ?? null, status < 500, error?.at ?? null, status === 412);
    }
    return answer.data as T;
}

export function isRaster(item: Item | null | undefined): item is RasterItem {
    return Boolean(item?.raster);
}

/** A file or several, with the share that has gone. */
export function upload(study: number, files: File[], progress: (share: number) => void): { done: Promise<components['schemas']['Upload']>; stop: () => void } {
    const request = new XMLHttpRequest();
    const done = new Promise<components['schemas']['Upload']>((resolve, reject) => {
        request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total);
        request.onerror = () => reject(new Problem('The upload broke off: is the server still running?'));
        request.onabort = () => reject(new Problem('The upload was stopped.'));
        request.onload = () => {
            let body: { title?: string } = {};
            try {
                body = JSON.parse(request.responseText);
            } catch {
                // an answer without JSON has no sentence of its own
            }
            if (request.status === 401) signedOut();
            if (request.status === 201) resolve(body as components['schemas']['Upload']);
            else reject(new Problem(body.title ?? 'The server did not take the file.', 'image'));
        };
        const form = new FormData();
        files.forEach((file) => form.append('files[]', file));
        // the server takes a number of files at most, and says nothing of the others
        form.append('count', String(files.length));
        request.open('POST', `/api/studies/${study}/uploads`);
        request.setRequestHeader('Accept', 'application/json');
        request.send(form);
    });
    return { done, stop: () => request.abort() };
}
