import { shallowRef, type Ref } from 'vue';
import { api, must } from '../api/client';
import type { Place } from '../views/geo';
import type { StudyStore } from './useStudy';

/** The area that the study is about, and its drawing. */
export function useArea(store: StudyStore, armed: Ref<'pin' | 'area' | null>) {
    /** Corners of the area that is being drawn. */
    const sketch = shallowRef<Place[]>([]);

    /** An area drawn or typed can be undone. */
    async function setArea(body: { bounds?: number[]; rings?: Place[][]; file?: { step: number; output?: string } } | null): Promise<void> {
        const study = store.study.value!;
        const path = { params: { path: { study: study.id } } };
        const before = study.area?.geometry ?? null;
        const put = (given: object | null) => (given === null ? must(api.DELETE('/studies/{study}/area', path)) : must(api.PUT('/studies/{study}/area', { ...path, body: given })));
        armed.value = null;
        sketch.value = [];
        await store.remember({ what: body ? 'area set' : 'area taken away', redo: () => put(body), undo: () => put(before && { geometry: before }) });
    }

    return { sketch, setArea };
}
