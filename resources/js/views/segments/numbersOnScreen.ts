import type { Transform } from 'ol/transform';
import type { RasterItem } from '../../api/client';
import { TILE } from '../paint';
import { tile } from '../tileStore';

/** Samples of the tiles that are here, by place; what is missing is being fetched. */
type Tiles = (x: number, y: number) => ArrayLike<number> | null;

/**
 * Numbers of one level laid on the screen: the nearest, one for each of its pixels. What is not here yet stays as it is.
 *
 * @param back  pixels of the screen to pixels of the level
 */
export function layNumbers(numbers: Uint32Array, width: number, height: number, back: Transform, columns: number, rows: number, tiles: Tiles): void {
    const [a, b, c, d, e, f] = back as [number, number, number, number, number, number];
    let [tx, ty] = [-1, -1];
    let samples: ArrayLike<number> | null = null;
    for (let y = 0; y < height; y++) {
        for (let x = 0; x < width; x++) {
            const col = Math.floor(a * (x + 0.5) + c * (y + 0.5) + e);
            const row = Math.floor(b * (x + 0.5) + d * (y + 0.5) + f);
            if (col < 0 || row < 0 || col >= columns || row >= rows) continue;
            const [nx, ny] = [col >> 8, row >> 8];
            if (nx !== tx || ny !== ty) samples = tiles((tx = nx), (ty = ny));
            if (samples) numbers[y * width + x] = samples[(row & 255) * TILE + (col & 255)]!;
        }
    }
}

/** The number at a place of the map, from the level at hand; 0 where there is none or it has not come yet. */
export function numberAt(item: RasterItem, [x, y]: readonly [number, number], level: number): number {
    const { raster } = item;
    const [columns, rows] = raster.levels[level] as [number, number];
    const [t0, t1, t2, t3, t4, t5] = raster.transform as [number, number, number, number, number, number];
    const determinant = t1 * t5 - t2 * t4;
    const [dx, dy] = [x - t0, y - t3];
    const col = Math.floor((((t5 * dx - t2 * dy) / determinant) * columns) / raster.width);
    const row = Math.floor((((t1 * dy - t4 * dx) / determinant) * rows) / raster.height);
    if (col < 0 || row < 0 || col >= columns || row >= rows) return 0;
    return tile(item, [1], level, col >> 8, row >> 8).samples?.[0]![(row & 255) * TILE + (col & 255)] ?? 0;
}
