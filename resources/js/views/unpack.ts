import type { Raster } from '../api/client';
import { arrays, TILE, type Samples } from './paint';

/** The body of a tile as one array per band: each comes as its length and a zlib stream, as it lies in the file on the server. */
export async function unpack(body: ArrayBuffer, raster: Raster): Promise<Samples[]> {
    const view = new DataView(body);
    const bands: Promise<Samples>[] = [];
    for (let at = 0; at + 4 <= body.byteLength;) {
        const length = view.getUint32(at, true);
        bands.push(inflate(new Uint8Array(body, at + 4, length), raster));
        at += 4 + length;
    }
    return Promise.all(bands);
}

async function inflate(stream: Uint8Array<ArrayBuffer>, raster: Raster): Promise<Samples> {
    const bytes = await new Response(new Blob([stream]).stream().pipeThrough(new DecompressionStream('deflate'))).arrayBuffer();
    const type = arrays[raster.type as keyof typeof arrays];
    return new type(bytes, 0, TILE * TILE);
}
