import { expect, test } from 'vitest';
import type { News, Step, Study } from '../../resources/js/api/client';
import { inside, share, spread } from '../../resources/js/archive/coverage';
import { withNews } from '../../resources/js/bench/news';
import { useUndo, type By } from '../../resources/js/bench/useUndo';
import { box, corners, moved, nearest, without } from '../../resources/js/draw/corners';

/** A server that holds a list, and may refuse. */
function room() {
    const list: string[] = [];
    const said: string[] = [];
    const refused = new Set<string>();
    const again: ((by: By) => Promise<unknown>)[] = [];
    const act = async <T>(action: () => Promise<T>, retry: (by: By) => Promise<unknown>): Promise<T | undefined> =>
        action().catch(() => (again.push(retry), undefined));
    const { counts, remember, undo, redo } = useUndo(act, (text) => said.push(text));
    const check = (what: string) => {
        if (refused.has(what)) throw new Error(what);
    };
    const put = (name: string) =>
        remember({
            what: name,
            redo: async () => (check(name), list.push(name)),
            undo: async () => (check(`not ${name}`), list.splice(list.indexOf(name), 1)),
        });
    return { list, said, refused, again, counts, put, undo, redo };
}

test('what is done is undone and done again in its order', async () => {
    const { list, said, counts, put, undo, redo } = room();
    // asked for at once: one waits for the other
    await Promise.all([put('a'), put('b'), undo(), undo(), redo()]);
    expect(list).toEqual(['a']);
    expect(said).toEqual(['Undone: b', 'Undone: a', 'Redone: a']);
    expect(counts.value).toEqual({ undo: 1, redo: 1 });
    await put('c');
    expect(counts.value).toEqual({ undo: 2, redo: 0 });
});

test('what is refused is not remembered, and what can not be undone stays', async () => {
    const { list, refused, counts, put, undo } = room();
    refused.add('b');
    expect(await put('b')).toBe(false);
    expect(counts.value).toEqual({ undo: 0, redo: 0 });
    expect(await put('a')).toBe(true);
    refused.add('not a');
    await undo();
    expect([list, counts.value]).toEqual([['a'], { undo: 1, redo: 0 }]);
    refused.clear();
    await undo();
    expect(list).toEqual([]);
});

test('what was refused can be asked for again, and is remembered then', async () => {
    const { list, refused, again, counts, put, undo } = room();
    refused.add('a');
    await put('a');
    refused.clear();
    // what waits before it is done as usual
    const ways: string[][] = [];
    const by: By = (action) => (ways.push([...list]), action());
    await Promise.all([put('b'), again.pop()!(by)]);
    expect([list, ways, counts.value]).toEqual([['b', 'a'], [['b']], { undo: 2, redo: 0 }]);
    refused.add('not a');
    await undo();
    refused.clear();
    await again.pop()!(by);
    expect([list, counts.value]).toEqual([['b'], { undo: 1, redo: 1 }]);
});

const step = (id: number, state = 'done') => ({ id, state, staleBy: null, progress: 1, growing: [] }) as unknown as Step;
const news = (version: number, more: Partial<News>) =>
    ({
        id: 1,
        name: 's',
        version,
        look: null,
        pegs: [],
        legend: [],
        crs: {},
        area: null,
        drawings: [],
        order: [],
        stale: {},
        busy: [],
        steps: [],
        ...more,
    }) as unknown as News;

test('news change what changed, and leave everything else the same object', () => {
    const first = withNews(null, news(1, { order: [1, 2], steps: [step(1), step(2)] }));
    const next = withNews(
        first,
        news(2, { order: [1, 2, 3], steps: [step(3, 'waiting')], busy: [{ id: 3, state: 'running', progress: 0.5, doing: 'x', secondsLeft: 4, growing: [] }] }),
    );
    expect(next.steps.map((one) => one.state)).toEqual(['done', 'done', 'running']);
    expect(next.steps[0]).toBe(first.steps[0]);
    const stale = withNews(next, news(3, { order: [1, 2, 3], stale: { 2: 1 } }));
    expect(stale.steps[1]).toMatchObject({ state: 'stale', staleBy: 1 });
    expect(withNews(stale, news(4, { order: [1, 2, 3] })).steps[1]).toMatchObject({ state: 'done', staleBy: null });
});

test('an answer that comes late changes nothing, and a step that is gone goes', () => {
    const now: Study = withNews(null, news(5, { order: [1], steps: [step(1)] }));
    expect(withNews(now, news(4, { order: [] }))).toBe(now);
    expect(withNews(now, news(6, { order: [] })).steps).toEqual([]);
});

const square = [
    [0, 0],
    [4, 0],
    [4, 4],
    [0, 4],
    [0, 0],
];

test('a place is inside a ring by the even-odd rule, and a hole is outside', () => {
    expect([inside(square, [2, 2]), inside(square, [5, 2]), inside(square, [-1, 2])]).toEqual([true, false, false]);
    const hole = [
        [1, 1],
        [3, 1],
        [3, 3],
        [1, 3],
        [1, 1],
    ];
    const places = spread([[square, hole]], 8);
    expect(places.length).toBe(64 - 16);
    expect(places.some(([x, y]) => x > 1 && x < 3 && y > 1 && y < 3)).toBe(false);
});

test('a share is that of the places which a scene saw', () => {
    const left = {
        rings: [
            [
                [0, 0],
                [2, 0],
                [2, 4],
                [0, 4],
                [0, 0],
            ],
        ],
    };
    const right = {
        rings: [
            [
                [1, 0],
                [4, 0],
                [4, 4],
                [1, 4],
                [1, 0],
            ],
        ],
    };
    const places = spread([[square]], 16);
    expect(share(places, [left as never])).toBe(0.5);
    expect(share(places, [left as never, right as never])).toBe(1);
    expect(share([], [left as never])).toBe(0);
});

test('corners are told once, found, moved and removed; a ring stays closed', () => {
    const polygon = { type: 'Polygon', coordinates: [box([0, 0], [4, 2])] };
    expect(corners(polygon).map(({ place }) => place)).toEqual([
        [0, 0],
        [4, 0],
        [4, 2],
        [0, 2],
    ]);
    expect(nearest(polygon, [3.8, 0.1], 0.5)?.path).toEqual([0, 1]);
    expect(nearest(polygon, [2, 1], 0.5)).toBeNull();
    expect(moved(polygon, [0, 0], [-1, -1]).coordinates).toEqual([
        [
            [-1, -1],
            [4, 0],
            [4, 2],
            [0, 2],
            [-1, -1],
        ],
    ]);
    const three = without(polygon, [0, 0]);
    expect(three?.coordinates).toEqual([
        [
            [4, 0],
            [4, 2],
            [0, 2],
            [4, 0],
        ],
    ]);
    expect(without(three!, [0, 1])).toBeNull();
    expect(moved({ type: 'Point', coordinates: [1, 1] }, [], [2, 3]).coordinates).toEqual([2, 3]);
    expect(
        without(
            {
                type: 'LineString',
                coordinates: [
                    [0, 0],
                    [1, 1],
                    [2, 2],
                ],
            },
            [1],
        )?.coordinates,
    ).toEqual([
        [0, 0],
        [2, 2],
    ]);
    expect(
        without(
            {
                type: 'LineString',
                coordinates: [
                    [0, 0],
                    [1, 1],
                ],
            },
            [1],
        ),
    ).toBeNull();
});
