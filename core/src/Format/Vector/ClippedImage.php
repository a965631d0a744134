<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\WithNodata;
use Chorometra\Core\Raster\Wrapped;
use Chorometra\Core\Work\Context;

/** An image kept to polygons: the box around them, nodata outside. */
final readonly class ClippedImage implements Image
{
    use Wrapped;

    private RasterSpec $spec;

    private Crop $crop;

    private function __construct(
        private Image $image,
        private PolygonMask $mask,
        private Window $window,
        private FeatureSet $area,
        private string $about,
        private ?Crop $part,
    ) {
        $this->crop = new Crop($image, $window);
        $this->spec = $this->crop->spec();
    }

    /** @throws Problem where the polygons lie outside of the image */
    public static function polygons(Image $image, FeatureSet $area, string $about, Context $context): self
    {
        $grid = $image->spec()->grid;
        $mask = new PolygonMask($area->polygonsOn($grid, $about), $grid);
        $window = $mask->bounds->within($grid->width, $grid->height);
        if ($window->isEmpty()) {
            throw Problem::input("The area is outside {$image->name()}, which is {$grid->describe()}.", $about);
        }

        return new self(WithNodata::of($image, $context), $mask, $window, $area, $about, $image instanceof Crop ? $image : null);
    }

    /** The image with what lies around the polygons, for what looks beyond their edge. */
    public function whole(): Image
    {
        return $this->image;
    }

    /** Of a part that is tried, all of the image kept to the polygons, in coarser pixels; itself where it is no part. */
    public function overview(int $mostPixels, Context $context): self
    {
        return $this->part === null ? $this : self::polygons($this->part->overview($mostPixels), $this->area, $this->about, $context);
    }

    public function levels(): array
    {
        return $this->crop->levels();
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        $bytes = $this->crop->read($band, $window);
        $size = $this->spec->type->bytes();
        $blank = Codec::encode([NAN], $this->spec->type, $this->spec->nodata);
        $place = new Window($this->window->col + $window->col, $this->window->row + $window->row, $window->width, $window->height);
        $out = '';
        foreach ($this->mask->runs($place) as $row => $runs) {
            $col = 0;
            foreach ($runs as [$from, $to]) {
                $out .= str_repeat($blank, $from - $col).substr($bytes, ($row * $window->width + $from) * $size, ($to - $from) * $size);
                $col = $to;
            }
            $out .= str_repeat($blank, $window->width - $col);
        }

        return $out;
    }
}
