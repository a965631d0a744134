import { expect, test } from 'vitest';
import type { Histogram, Item, RasterItem, Step, Study } from '../../resources/js/api/client';
import { onGround } from '../../resources/js/views/geo';
import { findItem, itemLabel, lookFor, percentiles, sameGrid, sameSource, stretched, styleOf, throughTime, usualBands } from '../../resources/js/views/look';

type Scale = RasterItem['raster']['bands'][number]['scale'];

function item(id: number, roles: (string | null)[], more: Partial<RasterItem['raster']> = {}): RasterItem {
    const bands = roles.map((role, i) => ({ number: i + 1, label: role ?? `band ${i + 1}`, role, wavelength: null, unit: null, scale: null as Scale }));
    return {
        id,
        step: 1,
        output: 'result',
        type: 'image',
        file: 'a.tif',
        raster: { content: 'image', bands, date: null, time: null, ...more } as RasterItem['raster'],
    };
}
const step = (id: number, kind: string, items: Item[], called: string | null = null) =>
    ({ id, number: id, kind, title: 'Scene bundle', called, items }) as unknown as Step;
const study = (...steps: Step[]) => ({ steps }) as unknown as Study;

test('an image is shown in near infrared, red and green where it has them, in its own colours where those are wanted', () => {
    const scene = item(1, ['blue', 'green', 'red', 'nir']);
    expect(usualBands(scene)).toEqual([4, 3, 2]);
    expect(usualBands(scene, true)).toEqual([3, 2, 1]);
    expect(usualBands(item(1, ['hh', 'hv', 'vv']))).toEqual([1, 2, 3]);
    expect(usualBands(item(1, [null, null, null]))).toEqual([3, 2, 1]);
    expect(usualBands(item(1, ['ndvi']))).toBeNull();
    const measures = item(1, [null, null, null]);
    measures.raster.bands.forEach((band, i) => (band.label = ['slope', 'aspect', 'shade'][i]!));
    expect(usualBands(measures)).toBeNull();
});

test('a phase is no colour among others', () => {
    const phase = item(1, [null, null, null]);
    Object.assign(phase.raster.bands[1]!, { unit: 'rad', scale: 'cyclic' });
    expect(usualBands(phase)).toBeNull();
    expect(lookFor(phase, { step: 1, output: 'result' })).toMatchObject({ single: true, bands: null, clip: [0.5, 99.5] });
});

test('a band is painted by what its values are counted from: about zero or one, round a circle, from 0 to 1', async () => {
    const counts: Histogram = { minimum: -2, maximum: 8, counts: Array(100).fill(1), pixels: 100, nodata: 0, reduced: 1, otsu: null };
    const ends = (scale: Scale, unit: string | null = null) => {
        const change = item(1, ['red', 'nir']);
        Object.assign(change.raster.bands[1]!, { scale, unit });
        return stretched(change, 2, counts, [10, 90]).map((end) => Number(end.toFixed(6)));
    };
    expect(ends(null)).toEqual([-1, 7]);
    expect(ends('signed')).toEqual([-7, 7]);
    expect(ends('ratio')).toEqual([-5, 7]);
    expect(ends('cyclic', '°')).toEqual([0, 360]);
    expect(ends('cyclic', 'rad')).toEqual([-Math.PI, Math.PI].map((end) => Number(end.toFixed(6))));
    expect(ends('probability')).toEqual([0, 1]);

    const change = item(1, ['green', 'red', 'nir']);
    for (const band of change.raster.bands) band.scale = 'signed';
    const look = { ...lookFor(change, { step: 1, output: 'difference' }), limits: { 3: [-1, 1] as [number, number] } };
    expect(look).toMatchObject({ single: true, band: 3, ramp: null });
    expect(await styleOf(change, look)).toEqual({ kind: 'ramp', band: 3, ramp: 'brown to teal', limits: [-1, 1] });
    expect(await styleOf(change, { ...look, ramp: 'magma' })).toMatchObject({ ramp: 'magma' });
});

test('percentiles lie within the bin in which the share is reached', () => {
    const flat: Histogram = { minimum: 0, maximum: 10, counts: Array(10).fill(10), pixels: 100, nodata: 0, reduced: 1, otsu: null };
    expect(percentiles(flat, [2, 98])[0]).toBeCloseTo(0.2);
    expect(percentiles(flat, [2, 98])[1]).toBeCloseTo(9.8);
    expect(percentiles({ ...flat, counts: [0, 0, 0, 0, 0, 100, 0, 0, 0, 0] }, [0, 100])).toEqual([5, 6]);
});

test('limits never fall together, whatever the image', () => {
    const one: Histogram = { minimum: 3, maximum: 3, counts: [7], pixels: 7, nodata: 0, reduced: 1, otsu: null };
    const [low, high] = percentiles(one, [2, 98]);
    expect(high).toBeGreaterThan(low);
});

test('what a step made last under a name is found, and a trial by its own', () => {
    const [old, fresh] = [item(1, ['nir']), item(2, ['nir'])];
    expect(findItem(study(step(4, 'derive.index', [old, fresh])), { step: 4, output: 'result' }, [])?.id).toBe(2);
    expect(findItem(study(), { step: -1, output: 'result' }, [item(9, ['nir'])])?.id).toBe(9);
    expect(findItem(study(), { step: 4, output: 'result' }, [])).toBeNull();
    expect(sameSource({ step: 1, output: 'a' }, { step: 1, output: 'a' })).toBe(true);
});

test('an item is called by what it is, else by its step, else by its output', () => {
    expect(itemLabel(step(3, 'derive.index', [], 'ndvi'), 'result')).toBe('3 ndvi');
    expect(itemLabel(step(3, 'gather.bundle', []), 'result')).toBe('3 scene bundle');
    expect(itemLabel(step(3, 'gather.bundle', []), 'thermal')).toBe('3 thermal');
    expect(itemLabel(undefined, 'result')).toBe('trial');
});

test('the same thing at other times stands in the order of its dates', () => {
    const dated = (id: number, date: string) => item(id, ['nir'], { date });
    const all = study(
        step(1, 'gather.bundle', [dated(1, '2033-06-03')]),
        step(2, 'gather.order', [dated(2, '2031-05-12')]),
        step(3, 'derive.index', [dated(3, '2032-01-01')], 'ndvi'),
    );
    all.steps[1]!.title = 'Scene bundle';
    expect(throughTime(all, { step: 1, output: 'result' }).map((one) => one.source.step)).toEqual([2, 1]);
});

test('two grids are one when no pixel lies further off than a thousandth', () => {
    const grid = { width: 1000, height: 1000, epsg: 32632, hectares: null, transform: [0, 10, 0, 0, 0, -10] };
    expect(sameGrid(grid, { ...grid, transform: [0.005, 10, 0, 0, 0, -10] })).toBe(true);
    expect(sameGrid(grid, { ...grid, transform: [0.05, 10, 0, 0, 0, -10] })).toBe(false);
    expect(sameGrid(grid, { ...grid, transform: [0, 10.0001, 0, 0, 0, -10] })).toBe(false);
    expect(sameGrid(grid, { ...grid, epsg: 32633 })).toBe(false);
});

test('a length is told in metres on the ground, whatever the unit of the map', () => {
    // a degree of longitude on a sphere of 6371 km: 111.19 km at the equator, half of that at 60 degrees
    expect(onGround('+proj=longlat +datum=WGS84 +no_defs', [10, 0], 1) / 1000).toBeCloseTo(111.19, 1);
    expect(onGround('+proj=longlat +datum=WGS84 +no_defs', [10, 60], 1) / 1000).toBeCloseTo(55.6, 1);
    expect(onGround('+proj=utm +zone=32 +datum=WGS84 +units=m +no_defs', [500000, 6000000], 1000) / 1000).toBeCloseTo(1, 1);
    expect(onGround(null, [10, 60], 42)).toBe(42);
});
