<?php

namespace App\Http\Controllers;

use App\Models\Item;
use App\Tiles\Tile;
use Illuminate\Http\Request;
use Illuminate\Http\Response;

/** Values of a tile, the long way (App\Tiles\Door is the quick one): packed for browsers, or plain. */
final class TileController
{
    public function __invoke(Request $request, Item $item, int $z, int $x, int $y): Response
    {
        $bands = $request->query('bands', '1');
        $bands = is_string($bands) ? $bands : 'a list';
        $isPacked = $request->query('packed') === 'yes';
        $tag = Tile::tag($item->id, "$z/$x/$y/$bands/".($isPacked ? 'packed' : 'plain'));
        $headers = ['ETag' => $tag, 'Cache-Control' => 'private, max-age=31536000, immutable', 'Content-Type' => 'application/octet-stream'];
        if ($request->headers->get('If-None-Match') === $tag) {
            return new Response('', 304, $headers);
        }
        if (! $item->isRaster() || ! is_file($item->path)) {
            abort(404);
        }
        $tile = new Tile($item->path, $item->meta, $z, $x, $y, $bands);

        return new Response($isPacked ? $tile->packed() : $tile->plain(), 200, $headers);
    }
}
