<?php

namespace App\Http\Controllers;

use App\Models\Item;
use App\Support\Place;
use Chorometra\Core\Format\GeoTiff\GeoTiffWriter;
use Chorometra\Core\Format\GeoTiff\Pack;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Window;
use Illuminate\Http\Request;
use Illuminate\Http\Response;

/** Raw little-endian values of a tile: 256 x 256 pixels of each band asked for, one after the other. The browser colours them. */
final class TileController
{
    public function __invoke(Request $request, Item $item, int $z, int $x, int $y): Response
    {
        $tag = '"'.$item->id.'-'.$z.'-'.$x.'-'.$y.'-'.md5(self::asked($request)).'"';
        $headers = ['ETag' => $tag, 'Cache-Control' => 'private, max-age=31536000, immutable', 'Content-Type' => 'application/octet-stream'];
        if ($request->headers->get('If-None-Match') === $tag) {
            return new Response('', 304, $headers);
        }
        if (! $item->isRaster() || ! is_file($item->path)) {
            abort(404);
        }
        $levels = $item->meta['placed']['levels'] ?? $item->meta['levels'];
        $bands = $this->bands(self::asked($request), count($item->meta['bands']));
        [$width, $height] = $levels[$z] ?? [0, 0];
        $size = GeoTiffWriter::TILE;
        $window = (new Window($x * $size, $y * $size, $size, $size))->within($width, $height);
        if ($window->isEmpty()) {
            throw Problem::call("There is no tile $x, $y at level $z.", 'tile');
        }
        $isWarped = isset($item->meta['placed']);
        $image = $isWarped ? Place::shown($item, $z) : $item->image();
        $body = '';
        foreach ($bands as $band) {
            $body .= $this->padded($image->read($band, $window, $isWarped ? 0 : $z), $window, $image->spec()->type, $image->spec()->nodata);
        }

        return new Response(Pack::gzip($body), 200, $headers + ['Content-Encoding' => 'gzip']);
    }

    private static function asked(Request $request): string
    {
        $bands = $request->query('bands');

        return is_array($bands) ? 'a list' : $bands ?? '1';
    }

    /** @return list<int> */
    private function bands(string $asked, int $count): array
    {
        $bands = [];
        foreach (explode(',', $asked) as $number) {
            if (! ctype_digit($number) || (int) $number < 1 || (int) $number > $count || count($bands) >= 4) {
                throw Problem::call("There is no band “{$number}”: the item has $count, and at most four are sent at a time.", 'bands');
            }
            $bands[] = (int) $number - 1;
        }

        return $bands;
    }

    private function padded(string $bytes, Window $window, SampleType $type, ?float $nodata): string
    {
        $size = GeoTiffWriter::TILE;
        if ($window->width === $size && $window->height === $size) {
            return $bytes;
        }
        $blank = $type->isFloat() ? Codec::encode([$nodata ?? NAN], $type, null) : Codec::encodeCodes([(int) ($nodata ?? 0)], $type);
        $row = $window->width * $type->bytes();
        $fill = str_repeat($blank, $size - $window->width);
        $out = '';
        for ($p = 0, $length = strlen($bytes); $p < $length; $p += $row) {
            $out .= substr($bytes, $p, $row).$fill;
        }

        return $out.str_repeat($blank, $size * ($size - $window->height));
    }
}
