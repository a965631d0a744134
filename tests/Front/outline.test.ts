import { describe, expect, it } from 'vitest';
import { outline } from '../../resources/js/training/outline';

const of = (rows: string[]) =>
    outline({
        corner: [0, 0],
        column: [1, 0],
        row: [0, 1],
        width: rows[0]!.length,
        pixels: Uint32Array.from(
            rows
                .join('')
                .split('')
                .flatMap((one, i) => (one === '#' ? [i] : [])),
        ),
    });
const area = (ring: [number, number][]) => Math.abs(ring.slice(1).reduce((sum, [x, y], i) => sum + ring[i]![0] * y - x * ring[i]![1], 0)) / 2;

describe('outlines of pixels', () => {
    it('go along their corners, straight sides in one', () => {
        expect(of(['###', '###'])).toEqual([
            [
                [
                    [0, 0],
                    [3, 0],
                    [3, 2],
                    [0, 2],
                    [0, 0],
                ],
            ],
        ]);
    });
    it('lie in map coordinates', () => {
        const [polygon] = outline({ corner: [500, 900], column: [20, 0], row: [0, -20], width: 4, pixels: Uint32Array.of(5) });
        expect(polygon![0]).toContainEqual([520, 880]);
        expect(polygon![0]).toContainEqual([540, 860]);
    });
    it('have holes, and islands in them', () => {
        const found = of(['#######', '#     #', '# ### #', '# # # #', '# ### #', '#     #', '#######']);
        expect(found.map((rings) => rings.length)).toEqual([2, 2]);
        const areas = found.map((rings) => area(rings[0]!) - rings.slice(1).reduce((sum, ring) => sum + area(ring), 0));
        expect(areas.sort((a, b) => a - b)).toEqual([8, 24]);
    });
    it('keep apart what touches at a corner', () => {
        expect(of(['# ', ' #'])).toHaveLength(2);
        // a ring of pixels round two that touch at a corner only: two holes
        expect(of(['####', '# ##', '## #', '####'])[0]).toHaveLength(3);
    });
    it('cover as many pixels as there are, whatever they are', () => {
        let seed = 7;
        const random = () => (seed = (seed * 1103515245 + 12345) & 0x7fffffff) / 0x7fffffff;
        for (let round = 0; round < 30; round++) {
            const rows = Array.from({ length: 9 }, () => Array.from({ length: 11 }, () => (random() < 0.6 ? '#' : ' ')).join(''));
            const covered = of(rows).reduce((sum, rings) => sum + area(rings[0]!) - rings.slice(1).reduce((holes, ring) => holes + area(ring), 0), 0);
            expect(covered).toBe(rows.join('').replaceAll(' ', '').length);
        }
    });
});
