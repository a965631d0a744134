import { ref } from 'vue';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Mark, Step } from '../../resources/js/api/client';
import type { Bench } from '../../resources/js/bench/useBench';

const answers = vi.hoisted(() => ({ lists: [] as ((marks: unknown[]) => void)[], late: null as Promise<void> | null }));
vi.mock('../../resources/js/api/client', () => ({
    api: {
        GET: (path: string) =>
            path === '/drawings/{drawing}' ? new Promise((resolve) => answers.lists.push((marks) => resolve({ marks }))) : Promise.resolve({ points: 0 }),
        PATCH: async (_: string, { params, body }: { params: { path: { mark: string } }; body: object }) => {
            await answers.late;
            return { key: params.path.mark, ...body };
        },
    },
    must: (call: Promise<unknown>) => call,
}));
const { useLabelling } = await import('../../resources/js/check/useLabelling');

const mark = (key: string, label: string | null = null) => ({ key, number: 1, class: label, second: null, sure: null, skipped: false }) as unknown as Mark;
function labelling() {
    const store = { remember: async (doing: { redo: () => Promise<unknown> }) => (await doing.redo(), true) };
    const drawings = ref([{ id: 1, step: 7 }]);
    return useLabelling({ drawing: { drawings }, store } as unknown as Bench, { id: 7 } as Step);
}

describe('points while they are labelled', () => {
    beforeEach(() => {
        answers.lists.length = 0;
        answers.late = null;
    });

    it('keep a label that was given while an older list was on its way', async () => {
        const { points, isWorking, load, say } = labelling();
        isWorking.value = true;
        const first = load();
        answers.lists[0]!([mark('a'), mark('b')]);
        expect(await first).toBe(true);
        const late = load();
        await say(points.value[0]!, { class: 'marsh' }, 'labelled', () => {});
        answers.lists[1]!([mark('a'), mark('b')]);
        expect(await late).toBe(false);
        expect(points.value.map((one) => one.class)).toEqual(['marsh', null]);
    });

    it('are those of whoever sits there now, however late an answer to another comes', async () => {
        const { points, isWorking, name, clear, load, say } = labelling();
        [isWorking.value, name.value] = [true, 'Ada'];
        const first = load();
        answers.lists[0]!([mark('a')]);
        await first;
        let answer = () => {};
        answers.late = new Promise((resolve) => (answer = resolve));
        const said = say(points.value[0]!, { class: 'marsh' }, 'labelled', () => {});
        name.value = 'Ben';
        clear();
        const second = load();
        answer();
        await said;
        answers.lists[1]!([mark('a')]);
        expect(await second).toBe(true);
        expect(points.value.map((one) => one.class)).toEqual([null]);
    });

    it('are those of the list that was asked for last', async () => {
        const { points, load } = labelling();
        const [slow, quick] = [load(), load()];
        answers.lists[1]!([mark('b', 'water')]);
        expect(await quick).toBe(true);
        answers.lists[0]!([mark('a')]);
        expect(await slow).toBe(false);
        expect(points.value.map((one) => one.key)).toEqual(['b']);
    });
});
