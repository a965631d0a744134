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

    /** How often something was said here, and of each point when last: a list that was asked for before is older than that. */
    let turn = 0;
    const saidAt = new Map<string, number>();
    let loads = 0;
    /** Whether the list that came is the one that is shown now, and nothing was said while it was on its way: then a point may be gone to. */
    async function load(): Promise<boolean> {
        const [mine, began] = [++loads, turn];
        const path = drawing.value ? { drawing: drawing.value.id } : null;
        if (!path) {
            points.value = [];
            return true;
        }
        const whose = isWorking.value ? { query: { person: person.value } } : {};
        const { marks } = await must(api.GET('/drawings/{drawing}', { params: { path, ...whose } }));
        if (mine !== loads) return false;
        const own = new Map(points.value.map((one) => [one.key, one]));
        points.value = marks.map((mark) => ((saidAt.get(mark.key) ?? 0) > began ? (own.get(mark.key) ?? mark) : mark));
        await loadFigures();
        return began === turn;
    }
    /** How often someone sat down to label: an answer that comes later belongs to whoever sat there before. */
    let sitting = 0;
    /** Nothing is shown until the list of whoever labels now is there: keys would go to the points of another. */
    function clear(): void {
        sitting++;
        points.value = [];
        saidAt.clear();
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

    function replace(fresh: Mark): void {
        saidAt.set(fresh.key, ++turn);
        points.value = points.value.map((other) => (other.key === fresh.key ? fresh : other));
    }
    async function send(mark: Mark, said: Partial<Said>, who: string): Promise<void> {
        const [body, mine] = [{ ...said, person: who }, sitting];
        try {
            const fresh = await must(api.PATCH('/marks/{mark}', { params: { path: { mark: mark.key } }, body }));
            if (isWorking.value && mine !== sitting) return;
            if (isWorking.value && who === person.value) replace(fresh);
            else return void (await load());
        } catch (error) {
            // what was shown at once is not so
            saidAt.delete(mark.key);
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

    return { points, drawing, matrix, was, agreement, name, isWorking, settling, asked, isBlind, done, skipped, load, clear, ask, say, note };
}
