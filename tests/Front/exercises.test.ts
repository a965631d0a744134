import { expect, test } from 'vitest';
import { exercises, isDone, type Seen } from '../../resources/js/exercises/exercises';

const seen = (more: Partial<Seen> = {}): Seen => ({
    stage: 'gather',
    kind: null,
    valueOf: () => undefined,
    isTried: false,
    ran: new Set(),
    labelled: 0,
    pegs: 0,
    ...more,
});

test('a task is done by what stands on the bench, not by how one came there', () => {
    expect(isDone({ stage: 'derive' }, seen({ stage: 'derive', kind: 'derive.index' }))).toBe(true);
    expect(isDone({ kind: 'derive.index' }, seen({ stage: 'derive' }))).toBe(false);
    expect(isDone({ setting: 'index', is: 'ndwi' }, seen({ valueOf: (name) => (name === 'index' ? 'ndwi' : null) }))).toBe(true);
    expect(isDone({ setting: 'limits', isNot: 'none' }, seen({ valueOf: () => 'none' }))).toBe(false);
    expect(isDone({ setting: 'limits', isNot: 'none' }, seen({ valueOf: () => 'values' }))).toBe(true);
    expect(isDone({ tried: 'compare.difference' }, seen({ kind: 'compare.mad', isTried: true }))).toBe(false);
    expect(isDone({ ran: 'segment.slice' }, seen({ ran: new Set(['segment.slice']) }))).toBe(true);
    expect(isDone({ labelled: 8 }, seen({ labelled: 7 }))).toBe(false);
    expect(isDone({ pegs: 1 }, seen({ pegs: 2 }))).toBe(true);
});

test('exercises are short, and nothing of them is done before it is begun', () => {
    for (const { tasks } of exercises) {
        expect(tasks.length).toBeLessThanOrEqual(6);
        expect(tasks.filter((task) => isDone(task.done, seen({ valueOf: () => 'none' })))).toEqual([]);
    }
});
