<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** An image in which pixels that are 0 in all of the chosen bands are nodata. */
final class WithoutZeros implements Computed
{
    use Wrapped;

    /** Rows of the sides that are looked at together. */
    private const PIECE = 256;

    private readonly RasterSpec $spec;

    /** @var array{Window, list<float>}|null where something is left, for the window read last: bands are read in turn */
    private ?array $kept = null;

    /** @param  list<int>  $bands */
    public function __construct(private readonly Image $image, private readonly array $bands)
    {
        $this->spec = $image->spec()->measured();
    }

    /**
     * Whether zeros lie around the image: half of its outermost pixels or more are 0 in all of the bands.
     *
     * @param  list<int>  $bands
     */
    public static function areBorder(Image $image, array $bands): bool
    {
        ['width' => $width, 'height' => $height] = get_object_vars($image->spec()->grid);
        $zeros = $pixels = 0;
        $edges = [new Window(0, 0, $width, 1)];
        // piece by piece: of a tile that is left behind nothing is kept
        for ($row = 0; $row < $height; $row += self::PIECE) {
            array_push($edges, new Window(0, $row, 1, min(self::PIECE, $height - $row)), new Window($width - 1, $row, 1, min(self::PIECE, $height - $row)));
        }
        $edges[] = new Window(0, $height - 1, $width, 1);
        foreach ($edges as $edge) {
            $sizes = self::sizes($image, $bands, $edge);
            $pixels += count($sizes);
            $zeros += count(array_filter($sizes, fn (float $size): bool => $size === 0.0));
        }

        return 2 * $zeros >= $pixels;
    }

    public function levels(): array
    {
        return [[$this->spec->grid->width, $this->spec->grid->height]];
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        return Codec::encode($this->values($band, $window), $this->spec->type, $this->spec->nodata);
    }

    public function values(int $band, Window $window): array
    {
        if ($this->kept === null || $this->kept[0] != $window) {
            $this->kept = [$window, self::sizes($this->image, $this->bands, $window)];
        }
        $values = Values::of($this->image, $band, $window);

        return self::without($values, $this->kept[1], count($values));
    }

    /**
     * Sum of sizes over bands; 0 only where all are.
     *
     * @param  list<int>  $bands
     * @return list<float>
     */
    private static function sizes(Image $image, array $bands, Window $window): array
    {
        $sum = array_fill(0, $window->pixels(), 0.0);
        foreach ($bands as $band) {
            self::add($sum, Values::of($image, $band, $window), $window->pixels());
        }

        return $sum;
    }

    /**
     * @param  list<float>  $sum
     * @param  list<float>  $values
     */
    private static function add(array &$sum, array $values, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $sum[$i] += abs($values[$i]);
        }
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $sizes
     * @return list<float>
     */
    private static function without(array $values, array $sizes, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($sizes[$i] === 0.0) {
                $values[$i] = NAN;
            }
        }

        return $values;
    }
}
