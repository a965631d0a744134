import { useLocalStorage } from '@vueuse/core';
import { computed, ref, shallowRef } from 'vue';
import { api, must, type Agreement, type Mark, type Matrix, type Step } from '../api/client';
import type { Bench } from '../bench/useBench';

export type Sure = 'sure' | 'fairly' | 'unsure';
export const sureness: Sure[] = ['sure', 'fairly', 'unsure'];

interface Said {
    class: string | null;
    second: string | null;
    sure: Sure | null;
    skipped: boolean;
}

/** The points of a step as people label them: what one person says, or what counts of all. */
export function useLabelling(bench: Bench, step: Step) {
    const points = shallowRef<Mark[]>([]);
    const drawing = computed(() => bench.drawing.drawings.value.find((one) => one.step === step.id) ?? null);
    const matrix = shallowRef<Matrix | null>(null);
    /** Before the label that was given last, while figures were seen. */
    const was = shallowRef<Matrix | null>(null);
    const agreement = shallowRef<Agreement | null>(null);
    /** Who labels; what is said without a name was said together. */
    const name = useLocalStorage('check/person', '');
    const isWorking = ref(false);
    /** Points on which people do not agree are settled together. */
    const settling = ref(false);
    const person = computed(() => (settling.value ? '' : name.value.trim()));
    const done = computed(() => points.value.filter((one) => one.class).length);
    const skipped = computed(() => points.value.filter((one) => one.skipped).length);
    const isDone = computed(() => points.value.length > 0 && points.value.every((one) => one.class || one.skipped));
    /** Figures would tell at once whether one agreed with the map: they are asked for, or all is done. */
    const asked = ref(false);
    const isBlind = computed(() => isWorking.value && !asked.value && !isDone.value);

    async function load(): Promise<void> {
        const path = drawing.value ? { drawing: drawing.value.id } : null;
        if (!path) {
            points.value = [];
            return;
        }
        const whose = isWorking.value ? { query: { person: person.value } } : {};
        points.value = (await must(api.GET('/drawings/{drawing}', { params: { path, ...whose } }))).marks;
        await loadFigures();
    }

    let round = 0;
    async function loadFigures(): Promise<void> {
        const mine = ++round;
        if (isBlind.value) {
            matrix.value = null;
            return;
        }
        const [found, agreed] = await Promise.all([
            must(api.GET('/steps/{step}/matrix', { params: { path: { step: step.id } } })).catch(() => null),
            drawing.value ? must(api.GET('/drawings/{drawing}/agreement', { params: { path: { drawing: drawing.value.id } } })).catch(() => null) : null,
        ]);
        if (mine !== round) return;
        matrix.value = found?.points ? found : null;
        agreement.value = agreed;
    }

    const replace = (fresh: Mark) => (points.value = points.value.map((other) => (other.key === fresh.key ? fresh : other)));
    async function send(mark: Mark, said: Partial<Said>, who: string): Promise<void> {
        const body = { ...said, person: who };
        try {
            const fresh = await must(api.PATCH('/marks/{mark}', { params: { path: { mark: mark.key } }, body }));
            if (isWorking.value) replace(fresh);
            else return await load();
        } catch (error) {
            await load();
            throw error;
        }
        const before = matrix.value;
        await loadFigures();
        was.value = before;
    }
    const saidOf = ({ class: name, second, sure, skipped }: Mark): Said => ({ class: name, second, sure, skipped });

    /** What a person says of a point, undone as what was said before. */
    function say(mark: Mark, said: Partial<Said>, what: string, back: () => void): Promise<unknown> {
        // who says so is settled now, whoever sits down next
        const [old, who] = [saidOf(mark), person.value];
        // at once: whoever labels fast is at the next point before the answer comes
        replace({ ...mark, ...said });
        return bench.store.remember({
            what: `point ${mark.number} ${what}`,
            redo: () => send(mark, said, who),
            undo: async () => {
                await send(mark, old, who);
                back();
            },
        });
    }

    async function note(mark: Mark, text: string): Promise<void> {
        await bench.store.act(async () =>
            replace(await must(api.PATCH('/marks/{mark}', { params: { path: { mark: mark.key } }, body: { note: text || null, person: person.value } }))),
        );
    }

    /** The figures so far, asked for while labels are still missing. */
    async function ask(): Promise<void> {
        asked.value = true;
        await loadFigures();
    }

    return { points, drawing, matrix, was, agreement, name, isWorking, settling, asked, isBlind, done, skipped, load, ask, say, note };
}
