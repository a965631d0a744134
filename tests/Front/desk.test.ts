import { expect, test } from 'vitest';
import type { Kind, RasterItem, Step, Study } from '../../resources/js/api/client';
import { startInputs } from '../../resources/js/bench/startInputs';
import { chain, outOfOrder } from '../../resources/js/desk/order';

const caution = { text: 'careful', after: [], without: [], moved: false, counts: false };
const kind = (id: string, cautions: Partial<typeof caution>[] = [], moves = false) =>
    ({ id, desk: { cautions: cautions.map((one) => ({ ...caution, ...one })), moves } }) as unknown as Kind;
const image = (unit: string) => ({ raster: { bands: [{ unit }] } }) as unknown as RasterItem;
const made = (id: number, of: string, inputs: object) => ({ id, kind: of, inputs }) as unknown as Step;

test('a chain goes back through everything that made an input', () => {
    const steps = [made(1, 'a', {}), made(2, 'b', { image: { step: 1 } }), made(3, 'c', { image: { step: 2 }, other: { step: 1 } })];
    expect(chain(steps, { image: { step: 3 } })).toEqual(['c', 'b', 'a']);
    expect(chain(steps, {})).toEqual([]);
});

test('a caution holds when all that it asks for holds', () => {
    const kinds = [kind('move', [], true), kind('other')];
    const say = (asked: Partial<typeof caution>, unit: string, before: string[]) => outOfOrder(kind('k', [asked]), kinds, image(unit), before);
    expect(say({ counts: true }, 'counts', [])).toBe('careful');
    expect(say({ counts: true }, 'reflectance', [])).toBeNull();
    expect(say({ moved: true }, 'counts', ['move'])).toBe('careful');
    expect(say({ moved: true }, 'counts', ['other'])).toBeNull();
    expect(say({ after: ['other', 'x'] }, 'counts', ['other'])).toBe('careful');
    expect(say({ without: ['other'] }, 'counts', ['other'])).toBeNull();
    expect(say({ without: ['other'], counts: true }, 'counts', ['move'])).toBe('careful');
    expect(say({ without: ['other'], counts: true }, 'reflectance', ['move'])).toBeNull();
});

const port = (name: string, wants: string | null = null) => ({ name, type: 'image', help: '', required: true, endings: [], many: false, wants });
function scene(id: number, of: string, unit: string, date: string, inputs: object = {}, role: string | null = 'nir'): Step {
    const raster = { content: 'image', bands: [{ number: 1, label: 'b', role, unit }], date, own: {} };
    return {
        id,
        number: id,
        kind: of,
        title: 'T',
        called: null,
        inputs,
        items: [{ id, step: id, output: 'result', type: 'image', raster }],
    } as unknown as Step;
}
const study = (...steps: Step[]) => ({ steps, drawings: [] }) as unknown as Study;
const wanting = (stage: string, ...inputs: object[]) => ({ id: 'k', stage, inputs, settings: [] }) as unknown as Kind;

test('an input starts on the newest, and on what was calibrated rather than on counts', () => {
    const all = study(
        scene(1, 'gather.bundle', 'counts', '2031-01-01'),
        scene(2, 'gather.bundle', 'counts', '2032-01-01'),
        scene(3, 'correct.calibrate', 'reflectance', '2032-01-01', { image: { step: 2 } }),
        scene(4, 'correct.surface', 'reflectance', '2032-01-01', { image: { step: 3 } }),
    );
    expect(startInputs(wanting('derive', port('image')), {}, all, [null, null]).image).toEqual({ step: 4, output: 'result' });
    expect(startInputs(wanting('correct', port('image')), {}, all, [{ step: 2, output: 'result' }, null]).image?.step).toBe(3);
    expect(startInputs(wanting('correct', port('image', 'counts')), {}, all, [{ step: 2, output: 'result' }, null]).image?.step).toBe(2);
});

test('what a view shows counts first, and what was chosen stays as long as it is there', () => {
    const all = study(scene(1, 'gather.bundle', 'reflectance', '2031-01-01'), scene(2, 'gather.bundle', 'reflectance', '2032-01-01'));
    expect(startInputs(wanting('derive', port('image')), {}, all, [{ step: 1, output: 'result' }, null]).image?.step).toBe(1);
    expect(startInputs(wanting('derive', port('image')), { image: { step: 1, output: 'result' } }, all, [null, null]).image?.step).toBe(1);
    expect(startInputs(wanting('derive', port('image')), { image: { step: 9, output: 'result' } }, all, [null, null]).image?.step).toBe(2);
});

test('heights are one band without a role that came from outside; two images are two', () => {
    const all = study(scene(1, 'gather.bundle', 'reflectance', '2031-01-01'), scene(2, 'gather.image', 'm', '2020-01-01', {}, null));
    const inputs = startInputs(wanting('correct', port('image'), port('elevation', 'heights')), {}, all, [{ step: 1, output: 'result' }, null]);
    expect([inputs.image?.step, inputs.elevation?.step]).toEqual([1, 2]);
});

test('an input that takes several starts on the best, and of dates on the last of each', () => {
    const wide = (id: number, of: string, unit: string, date: string, inputs: object = {}) => {
        const step = scene(id, of, unit, date, inputs);
        const raster = (step.items[0] as { raster: object }).raster as { bands: object[]; own: object };
        raster.bands = ['red', 'nir'].map((role, i) => ({ number: i + 1, label: role, role, unit }));
        raster.own = { width: 9, height: 9, epsg: 32632, transform: [0, 20, 0, 0, 0, -20] };
        return step;
    };
    const all = study(
        wide(1, 'gather.bundle', 'counts', '2031-01-01'),
        wide(2, 'correct.calibrate', 'reflectance', '2031-01-01', { image: { step: 1, output: 'result' } }),
        wide(3, 'correct.surface', 'reflectance', '2031-01-01', { image: { step: 2, output: 'result' } }),
        wide(4, 'correct.calibrate', 'reflectance', '2032-01-01'),
    );
    const many = (wants: string | null) => ({ ...port('images', wants), many: true });
    expect(startInputs(wanting('derive', many('reflectance')), {}, all, [null, null])).toEqual({
        'images:1': { step: 3, output: 'result' },
        'images:2': { step: 4, output: 'result' },
    });
    expect(startInputs(wanting('derive', many(null)), {}, all, [{ step: 1, output: 'result' }, null])).toEqual({ 'images:1': { step: 3, output: 'result' } });
});

test('a panchromatic image is found by its role', () => {
    const all = study(scene(1, 'gather.bundle', 'counts', '2031-01-01', {}, 'pan'), scene(2, 'correct.calibrate', 'reflectance', '2031-01-01'));
    const inputs = startInputs(wanting('derive', port('image', 'reflectance'), port('pan', 'pan')), {}, all, [null, null]);
    expect([inputs.image?.step, inputs.pan?.step]).toEqual([2, 1]);
});

test('of those that fit, what has the bands that are asked for', () => {
    const all = study(
        scene(1, 'correct.calibrate', 'reflectance', '2031-01-01', {}, 'nir'),
        scene(2, 'derive.sharpen', 'reflectance', '2031-01-01', {}, 'red'),
        scene(3, 'derive.components', '', '2031-01-01', {}, null),
    );
    const index = { ...wanting('derive', port('image', 'reflectance')), settings: [{ name: 'nir', type: 'band', default: 'nir' }] } as unknown as Kind;
    expect(startInputs(index, {}, all, [{ step: 2, output: 'result' }, null]).image?.step).toBe(1);
    expect(startInputs(wanting('derive', port('image', 'reflectance')), {}, all, [null, null]).image?.step).toBe(2);
});

test('an image starts on values, not on segments that lie over them; of two that are not needed the first is given', () => {
    const cut = scene(2, 'segment.slice', '', '2031-01-01', {}, null);
    const [item] = cut.items as unknown as { output: string; raster: { content: string } }[];
    Object.assign(item!, { output: 'segments' });
    item!.raster.content = 'segments';
    const all = study(scene(1, 'derive.index', '', '2031-01-01', {}, null), cut);
    const seen = [{ step: 2, output: 'segments' }, null];
    expect(startInputs(wanting('derive', port('image')), {}, all, seen).image?.step).toBe(1);
    expect(startInputs(wanting('deliver', port('image')), {}, all, seen).image?.step).toBe(2);
    const free = { ...port('image'), required: false };
    const either = wanting('segment', free, { ...port('classes'), type: 'classes', required: false });
    expect(startInputs(either, {}, all, seen)).toEqual({ image: { step: 1, output: 'result' } });
    expect(startInputs(wanting('segment', port('image'), { ...free, name: 'other' }), {}, all, seen)).toEqual({ image: { step: 1, output: 'result' } });
});
