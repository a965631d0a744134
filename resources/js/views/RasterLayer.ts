import type { FrameState } from 'ol/Map';
import Layer from 'ol/layer/Layer';
import { apply, compose, create, makeInverse, type Transform } from 'ol/transform';
import type { RasterItem } from '../api/client';
import { bandsOf, paint, TILE, type Style } from './paint';
import { layNumbers } from './segments/numbersOnScreen';
import { paintSegments, plainLook, type SegmentLook } from './segments/paintSegments';
import { onTile, tile, want } from './tileStore';

/** One raster in a view, and how it is shown. */
export interface Picture {
    item: RasterItem;
    style: Style;
    opacity: number;
    segments?: SegmentLook;
    /** The map that it is compared with. */
    other?: RasterItem;
}

const PAINTED = 240;

/** Paints rasters from raw tiles into a 2-D canvas: a change of style repaints at once, and asks nothing of the server. */
export default class RasterLayer extends Layer {
    private readonly id = Symbol('view');
    private readonly canvas = document.createElement('canvas');
    /** Around the canvas, so that points and lines get one of their own: what is painted stays what it is. */
    private readonly element = document.createElement('div');
    private readonly painted = new Map<string, HTMLCanvasElement>();
    private readonly forget: () => void;
    private pictures: Picture[] = [];
    private behind: Picture[] = [];
    private edge = 1;
    /** Numbers of segments as they lie on the screen, until it moves or more of them come. */
    private readonly numbers = new Map<number, { key: string; numbers: Uint32Array }>();
    private readonly segments = document.createElement('canvas');

    constructor() {
        super({});
        this.canvas.style.position = 'absolute';
        this.element.className = 'raster';
        this.element.append(this.canvas);
        this.forget = onTile(() => this.changed());
    }

    /** What to show; with an edge below 1, the other pictures show to the right of it. */
    show(pictures: Picture[], other: Picture[] = [], edge = 1): void {
        this.pictures = pictures;
        this.behind = other;
        this.edge = edge;
        this.changed();
    }

    override render(frame: FrameState): HTMLElement {
        const ratio = frame.pixelRatio;
        const [width, height] = frame.size.map((side) => Math.round(side * ratio)) as [number, number];
        if (this.canvas.width !== width || this.canvas.height !== height) {
            this.canvas.width = width;
            this.canvas.height = height;
            this.canvas.style.width = `${frame.size[0]}px`;
            this.canvas.style.height = `${frame.size[1]}px`;
        }
        const context = this.canvas.getContext('2d')!;
        context.setTransform(1, 0, 0, 1, 0, 0);
        context.clearRect(0, 0, width, height);
        const keys = new Set<string>();
        const cut = Math.round(width * this.edge);
        this.draw(context, frame, this.pictures, 0, cut, keys);
        if (this.edge < 1) this.draw(context, frame, this.behind, cut, width, keys);
        want(this.id, keys);
        return this.element;
    }

    override disposeInternal(): void {
        this.forget();
        want(this.id, new Set());
        super.disposeInternal();
    }

    private draw(context: CanvasRenderingContext2D, frame: FrameState, pictures: Picture[], left: number, right: number, keys: Set<string>): void {
        context.save();
        context.beginPath();
        context.rect(left, 0, right - left, this.canvas.height);
        context.clip();
        context.imageSmoothingEnabled = false;
        for (const picture of pictures) {
            context.globalAlpha = picture.opacity;
            const last = picture.item.raster.levels.length - 1;
            const level = levelFor(picture.item, frame.viewState.resolution / frame.pixelRatio);
            if (picture.style.kind === 'segments') {
                this.drawSegments(context, frame, picture, level, keys);
                continue;
            }
            // the coarsest level stands in while finer tiles are on their way
            if (level < last && picture.opacity === 1) this.drawLevel(context, frame, picture, last, keys);
            this.drawLevel(context, frame, picture, level, keys);
        }
        context.restore();
    }

    /** Segments by the pixels of the screen: edges are as fine at any zoom, and another look asks for nothing. */
    private drawSegments(context: CanvasRenderingContext2D, frame: FrameState, { item, segments, opacity }: Picture, level: number, keys: Set<string>): void {
        const { width, height } = this.canvas;
        const last = item.raster.levels.length - 1;
        const here: string[] = [];
        const laid = [...new Set([last, level])].map((one) => {
            const [columns, rows] = item.raster.levels[one] as [number, number];
            const matrix = screenMatrix(frame, item, one);
            return { columns, rows, matrix, tiles: this.visible(matrix, columns, rows).map(([x, y]) => ({ x, y, ...tile(item, [1], one, x, y) })) };
        });
        for (const { tiles } of laid)
            for (const { key, samples } of tiles) {
                keys.add(key);
                if (samples) here.push(key);
            }
        const key = `${width} ${height} ${laid[laid.length - 1]!.matrix.join()} ${here.join()}`;
        let known = this.numbers.get(item.id);
        if (known?.key !== key) {
            const numbers = new Uint32Array(width * height);
            for (const { columns, rows, matrix, tiles } of laid) {
                const byPlace = new Map(tiles.map(({ x, y, samples }) => [y * 65536 + x, samples?.[0] ?? null]));
                layNumbers(numbers, width, height, makeInverse(create(), matrix), columns, rows, (x, y) => byPlace.get(y * 65536 + x) ?? null);
            }
            this.numbers.clear();
            this.numbers.set(item.id, (known = { key, numbers }));
        }
        this.segments.width = width;
        this.segments.height = height;
        this.segments.getContext('2d')!.putImageData(paintSegments(known.numbers, width, height, segments ?? plainLook, opacity), 0, 0);
        context.globalAlpha = 1;
        context.setTransform(1, 0, 0, 1, 0, 0);
        context.drawImage(this.segments, 0, 0);
    }

    /** Tiles of a level that can be seen. */
    private visible(matrix: Transform, columns: number, rows: number): [number, number][] {
        const back = makeInverse(create(), matrix);
        const corners = [
            [0, 0],
            [this.canvas.width, 0],
            [0, this.canvas.height],
            [this.canvas.width, this.canvas.height],
        ].map((corner) => apply(back, [...corner]));
        const x0 = Math.max(0, Math.floor(Math.min(...corners.map((c) => c[0]!)) / TILE));
        const y0 = Math.max(0, Math.floor(Math.min(...corners.map((c) => c[1]!)) / TILE));
        const x1 = Math.min(Math.ceil(columns / TILE) - 1, Math.floor(Math.max(...corners.map((c) => c[0]!)) / TILE));
        const y1 = Math.min(Math.ceil(rows / TILE) - 1, Math.floor(Math.max(...corners.map((c) => c[1]!)) / TILE));
        const found: [number, number][] = [];
        for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) found.push([x, y]);
        return found;
    }

    private drawLevel(context: CanvasRenderingContext2D, frame: FrameState, picture: Picture, level: number, keys: Set<string>): void {
        const { raster } = picture.item;
        const [columns, rows] = raster.levels[level] as [number, number];
        const m = screenMatrix(frame, picture.item, level);
        const bands = bandsOf(picture.style);
        const look = JSON.stringify(picture.style);
        for (const [x, y] of this.visible(m, columns, rows)) {
            const found = tile(picture.item, bands, level, x, y);
            keys.add(found.key);
            const other = picture.other && tile(picture.other, bands, level, x, y);
            if (other) keys.add(other.key);
            if (!found.samples || (other && !other.samples)) continue;
            const canvas = this.colour(`${found.key} ${look}`, () => paint(found.samples!, picture.style, raster, other?.samples?.[0]));
            const w = Math.min(TILE, columns - x * TILE);
            const h = Math.min(TILE, rows - y * TILE);
            place(context, m, canvas, x * TILE, y * TILE, w, h);
        }
    }

    private colour(key: string, make: () => ImageData): HTMLCanvasElement {
        let canvas = this.painted.get(key);
        if (canvas) this.painted.delete(key);
        else {
            canvas = document.createElement('canvas');
            canvas.width = canvas.height = TILE;
            canvas.getContext('2d')!.putImageData(make(), 0, 0);
        }
        this.painted.set(key, canvas);
        if (this.painted.size > PAINTED) this.painted.delete(this.painted.keys().next().value!);
        return canvas;
    }
}

/** The level whose pixels are about those of the screen. */
export function levelFor(item: RasterItem, resolution: number): number {
    const { transform, levels } = item.raster;
    const pixel = Math.hypot(transform[1]!, transform[4]!);
    return Math.min(Math.floor(Math.log2(Math.max(1, resolution / pixel)) + 0.3), levels.length - 1);
}

/** Pixels of a level → map → pixels of the screen. */
function screenMatrix(frame: FrameState, { raster }: RasterItem, level: number): Transform {
    const [columns, rows] = raster.levels[level] as [number, number];
    const t = raster.transform as [number, number, number, number, number, number];
    const fx = raster.width / columns;
    const fy = raster.height / rows;
    const toMap: Transform = [t[1] * fx, t[4] * fx, t[2] * fy, t[5] * fy, t[0], t[3]];
    const toScreen = compose(create(), 0, 0, frame.pixelRatio, frame.pixelRatio, 0, 0, 0);
    return multiply(toScreen, multiply(frame.coordinateToPixelTransform as Transform, toMap));
}

function multiply(a: Transform, b: Transform): Transform {
    return [
        a[0]! * b[0]! + a[2]! * b[1]!,
        a[1]! * b[0]! + a[3]! * b[1]!,
        a[0]! * b[2]! + a[2]! * b[3]!,
        a[1]! * b[2]! + a[3]! * b[3]!,
        a[0]! * b[4]! + a[2]! * b[5]! + a[4]!,
        a[1]! * b[4]! + a[3]! * b[5]! + a[5]!,
    ];
}

/** On grids that are not turned, edges are put on whole device pixels, so that no seam shows between tiles. */
function place(context: CanvasRenderingContext2D, m: Transform, canvas: HTMLCanvasElement, col: number, row: number, w: number, h: number): void {
    if (Math.abs(m[1]!) < 1e-9 && Math.abs(m[2]!) < 1e-9) {
        context.setTransform(1, 0, 0, 1, 0, 0);
        const left = Math.round(m[0]! * col + m[4]!);
        const top = Math.round(m[3]! * row + m[5]!);
        context.drawImage(canvas, 0, 0, w, h, left, top, Math.round(m[0]! * (col + w) + m[4]!) - left, Math.round(m[3]! * (row + h) + m[5]!) - top);
    } else {
        context.setTransform(m[0]!, m[1]!, m[2]!, m[3]!, m[4]!, m[5]!);
        context.drawImage(canvas, 0, 0, w, h, col, row, w, h);
    }
}
