<?php

namespace Chorometra\Core\Geo;

/**
 * Where the pixels of a raster lie: size, affine transform from pixel corners to map coordinates, and CRS.
 *
 * x = t0 + t1·col + t2·row, y = t3 + t4·col + t5·row. A raster without georeference has (0, 1, 0, 0, 0, 1).
 */
final readonly class Grid
{
    /** Pixels of a strip. */
    private const MOST_VALUES = 1 << 21;

    /**
     * @param  array{float, float, float, float, float, float}  $transform
     * @param  array{directory: list<int>, doubles: list<float>, text: string}|null  $geoKeys  a CRS without EPSG code, kept as it came
     * @param  list<array{float, float, float, float}>|null  $controls
     *   column, row and map coordinates of ground control points, where the transform is only the best through them
     */
    public function __construct(
        public int $width,
        public int $height,
        public array $transform = [0.0, 1.0, 0.0, 0.0, 0.0, 1.0],
        public ?int $epsg = null,
        public ?array $geoKeys = null,
        public ?array $controls = null,
    ) {}

    /**
     * Whether an affine transform can be reckoned with: finite, with pixels of a size that is neither nothing nor beyond any map.
     *
     * @param  array{float, float, float, float, float, float}  $t
     */
    public static function makesSense(array $t): bool
    {
        $area = abs($t[1] * $t[5] - $t[2] * $t[4]);
        $sides = hypot($t[1], $t[4]) * hypot($t[2], $t[5]);

        return is_finite(array_sum($t)) && abs($t[0]) < 1e12 && abs($t[3]) < 1e12 && $area > 1e-20 && $area < 1e16 && $area > 1e-9 * $sides;
    }

    /** Rows that are unpacked at a time where nothing else says: a power of two, fewer in very wide images. */
    public function strip(int $most = 256): int
    {
        while ($most > 1 && $most * $this->width > self::MOST_VALUES) {
            $most >>= 1;
        }

        return $most;
    }

    public function isReferenced(): bool
    {
        return $this->transform !== [0.0, 1.0, 0.0, 0.0, 0.0, 1.0];
    }

    /** @return array{float, float} map coordinates of a pixel position (corners at whole numbers) */
    public function toMap(float $col, float $row): array
    {
        $t = $this->transform;

        return [$t[0] + $t[1] * $col + $t[2] * $row, $t[3] + $t[4] * $col + $t[5] * $row];
    }

    /** @return array{float, float} pixel position of map coordinates */
    public function toPixel(float $x, float $y): array
    {
        $t = $this->transform;
        $determinant = $t[1] * $t[5] - $t[2] * $t[4];
        $dx = $x - $t[0];
        $dy = $y - $t[3];

        return [($t[5] * $dx - $t[2] * $dy) / $determinant, ($t[1] * $dy - $t[4] * $dx) / $determinant];
    }

    /** Area of a pixel in square map units. */
    public function pixelArea(): float
    {
        $t = $this->transform;

        return abs($t[1] * $t[5] - $t[2] * $t[4]);
    }

    /** Same size, place and CRS, to a thousandth of a pixel. */
    public function matches(self $other): bool
    {
        if ($this->width !== $other->width || $this->height !== $other->height || $this->epsg !== $other->epsg) {
            return false;
        }
        foreach ([[0, 0], [$this->width, 0], [0, $this->height]] as [$col, $row]) {
            [$x, $y] = $this->toMap($col, $row);
            [$c, $r] = $other->toPixel($x, $y);
            if (abs($c - $col) > 1e-3 || abs($r - $row) > 1e-3) {
                return false;
            }
        }

        return true;
    }

    /** The grid of a window of this one. */
    public function crop(Window $window): self
    {
        [$x, $y] = $this->toMap($window->col, $window->row);
        $t = $this->transform;

        return new self(
            $window->width,
            $window->height,
            [$x, $t[1], $t[2], $y, $t[4], $t[5]],
            $this->epsg,
            $this->geoKeys,
            $this->moved(fn (float $col, float $row): array => [$col - $window->col, $row - $window->row]),
        );
    }

    /** The grid of an overview of the given size over the same ground. */
    public function resized(int $width, int $height): self
    {
        $t = $this->transform;
        $fx = $this->width / $width;
        $fy = $this->height / $height;

        return new self(
            $width,
            $height,
            [$t[0], $t[1] * $fx, $t[2] * $fy, $t[3], $t[4] * $fx, $t[5] * $fy],
            $this->epsg,
            $this->geoKeys,
            $this->moved(fn (float $col, float $row): array => [$col / $fx, $row / $fy]),
        );
    }

    /** One clause that tells size, pixel and CRS, for messages. */
    public function describe(): string
    {
        $size = "{$this->width} x {$this->height} pixels";
        if (! $this->isReferenced()) {
            return "$size without georeference";
        }
        $unit = Crs::isGeographic($this) ? '°' : Crs::unitSign($this);

        return sprintf(
            '%s of %s%s at %s, %s in %s',
            $size,
            rtrim(rtrim(sprintf('%.6f', hypot($this->transform[1], $this->transform[4])), '0'), '.'),
            $unit,
            round($this->transform[0], 4),
            round($this->transform[3], 4),
            $this->epsg ? "EPSG:{$this->epsg}" : 'a CRS of its own',
        );
    }

    /**
     * @param  \Closure(float, float): array{float, float}  $to
     * @return list<array{float, float, float, float}>|null
     */
    private function moved(\Closure $to): ?array
    {
        return $this->controls === null ? null : array_map(fn (array $one): array => [...$to($one[0], $one[1]), $one[2], $one[3]], $this->controls);
    }
}
