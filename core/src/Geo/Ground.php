<?php

namespace Chorometra\Core\Geo;

/**
 * The ground under a grid: metres between its places, square metres of its pixels and of rings, whatever its CRS.
 *
 * Where the map keeps areas (or lengths) to 0.2 %, they are measured in its plane; elsewhere on the ellipsoid of its datum: areas in the
 * cylindrical equal-area plane (Snyder 1987, equation 10-14 and after), lengths along geodesics. A grid whose CRS is not known is a plane in metres.
 */
final class Ground
{
    /** How far a plane may be off before the ellipsoid is asked. */
    private const TOLERANCE = 0.002;

    /** Pixels and metres of a straight edge that are taken for straight on the ellipsoid too. */
    private const STRAIGHT = 4;

    private const SHORT = 2000.0;

    /** How much the area of pixels may differ within a piece of a row. */
    private const ALIKE = 1e-4;

    public readonly bool $keepsAreas;

    public readonly bool $keepsLengths;

    /** Pixels of an edge that are taken for straight. */
    private readonly float $straight;

    /** Columns within which pixels of a row have the same area. */
    private readonly int $piece;

    private function __construct(
        private readonly Grid $grid,
        private readonly ?Projection $projection,
        private readonly Ellipsoid $ellipsoid,
        private readonly float $metres,
    ) {
        [$this->keepsAreas, $this->keepsLengths] = $projection === null ? [true, true] : $this->keeps();
        $size = sqrt($projection === null ? 1.0 : $this->quadrangle(0.5 * $grid->width, 0.5 * $grid->height, 1.0, 1.0));
        $this->straight = is_finite($size) && $size > 0 ? max(0.05, min(self::STRAIGHT, self::SHORT / $size)) : self::STRAIGHT;
        $this->piece = $this->keepsAreas ? $grid->width : $this->piece();
    }

    /** Null where a grid lies nowhere: without georeference, or with ground control points only. */
    public static function of(Grid $grid): ?self
    {
        if (! $grid->isReferenced() || $grid->controls !== null) {
            return null;
        }
        $projection = Crs::ofGrid($grid);
        $metres = Crs::metres($grid);

        return new self(
            $grid,
            $projection instanceof OnDatum ? $projection->projection : $projection,
            Crs::datum($grid)->ellipsoid ?? new Ellipsoid(),
            is_nan($metres) ? 1.0 : $metres,
        );
    }

    /** Square metres of the pixel at a place. */
    public function pixelArea(float $col, float $row): float
    {
        return $this->keepsAreas ? $this->planeArea() : $this->quadrangle(floor($col), floor($row), 1.0, 1.0);
    }

    /**
     * Pieces of a row in which all pixels have the same area, to a ten-thousandth.
     *
     * @return list<array{int, int, float}> first column, columns, square metres of a pixel
     */
    public function pieces(int $row): array
    {
        $pieces = [];
        for ($col = 0; $col < $this->grid->width; $col += $this->piece) {
            $count = min($this->piece, $this->grid->width - $col);
            $pieces[] = [$col, $count, $this->keepsAreas ? $this->planeArea() : $this->quadrangle($col + 0.5 * ($count - 1), $row, 1.0, 1.0)];
        }

        return $pieces;
    }

    /**
     * @param  array<int, int>  $pixels  by code
     * @param  array<int, float>|null  $areas  square metres by code, where pixels differ in size
     * @return array<int, float> by code
     */
    public function hectares(array $pixels, ?array $areas): array
    {
        $hectares = [];
        foreach ($pixels as $code => $count) {
            $hectares[$code] = ($areas === null ? $count * $this->planeArea() : $areas[$code] ?? 0.0) / 1e4;
        }

        return $hectares;
    }

    /**
     * Metres between two places of the grid, in pixels (corners at whole numbers).
     *
     * @param  array{float, float}  $from
     * @param  array{float, float}  $to
     */
    public function distance(array $from, array $to): float
    {
        if ($this->keepsLengths) {
            [$a, $b] = [$this->grid->toMap(...$from), $this->grid->toMap(...$to)];

            return $this->metres * hypot($b[0] - $a[0], $b[1] - $a[1]);
        }

        return Geodesic::distance($this->place(...$from), $this->place(...$to), $this->ellipsoid);
    }

    /** @return array{float, float} metres of one column and of one row, at the middle of the grid */
    public function steps(): array
    {
        [$col, $row] = [0.5 * $this->grid->width, 0.5 * $this->grid->height];

        return [$this->distance([$col - 0.5, $row], [$col + 0.5, $row]), $this->distance([$col, $row - 0.5], [$col, $row + 0.5])];
    }

    /**
     * One column and one row as steps on the ground at a row: metres, in a projected CRS map units, north being the grid's.
     *
     * @return array{float, float, float, float} east and north of a column, east and north of a row
     */
    public static function axes(Grid $grid, float $row): array
    {
        $t = $grid->transform;
        if (! Crs::isGeographic($grid)) {
            return [$t[1], $t[4], $t[2], $t[5]];
        }
        $ellipsoid = Crs::datum($grid)->ellipsoid ?? new Ellipsoid;
        $phi = deg2rad($grid->toMap(0.5 * $grid->width, $row)[1]);
        $flat = 1 - $ellipsoid->e2 * sin($phi) ** 2;
        // metres of a degree along the parallel and along the meridian
        $east = deg2rad(1.0) * $ellipsoid->axis * cos($phi) / sqrt($flat);
        $north = deg2rad(1.0) * $ellipsoid->axis * (1 - $ellipsoid->e2) / $flat ** 1.5;

        return [$t[1] * $east, $t[4] * $north, $t[2] * $east, $t[5] * $north];
    }

    /** @return array{float, float, float} around a place: square metres of a step along columns, of one along rows, and the product of the two */
    public function metric(float $col, float $row): array
    {
        $across = $this->distance([$col - 0.5, $row], [$col + 0.5, $row]) ** 2;
        $down = $this->distance([$col, $row - 0.5], [$col, $row + 0.5]) ** 2;

        return [$across, $down, 0.5 * ($this->distance([$col - 0.5, $row - 0.5], [$col + 0.5, $row + 0.5]) ** 2 - $across - $down)];
    }

    /** @return array{float, float, float} metres in space: no two places lie nearer on the ground than the straight line between them is long */
    public function position(float $col, float $row): array
    {
        if ($this->keepsLengths) {
            [$x, $y] = $this->grid->toMap($col, $row);

            return [$this->metres * $x, $this->metres * $y, 0.0];
        }

        return Datum::geocentric(...[...$this->place($col, $row), $this->ellipsoid]);
    }

    /**
     * Square metres inside a ring of pixel positions, above 0 whichever way it runs; the ring is closed by its first corner.
     *
     * @param  list<array{float, float}>  $ring
     */
    public function area(array $ring): float
    {
        if ($this->keepsAreas) {
            return abs(self::shoelace($ring)) * $this->planeArea();
        }
        $places = [];
        foreach ($ring as $k => $corner) {
            foreach ($this->edge($corner, $ring[($k + 1) % count($ring)]) as $position) {
                $places[] = $this->place(...$position);
            }
        }
        // the last of each edge is the first of the next
        $places[] = $places[0];

        return self::onEllipsoid($places, $this->ellipsoid);
    }

    /**
     * Metres around a ring of pixel positions; the ring is closed by its first corner.
     *
     * @param  list<array{float, float}>  $ring
     */
    public function length(array $ring): float
    {
        $length = 0.0;
        foreach ($ring as $k => $corner) {
            $next = $ring[($k + 1) % count($ring)];
            if ($this->keepsLengths) {
                $length += $this->distance($corner, $next);

                continue;
            }
            $from = $corner;
            foreach ([...array_slice($this->edge($corner, $next), 1), $next] as $to) {
                $length += $this->distance($from, $to);
                $from = $to;
            }
        }

        return $length;
    }

    /**
     * Square metres inside a closed ring of longitudes and latitudes, above 0 whichever way it runs; its edges are straight in the
     * cylindrical equal-area plane.
     *
     * @param  list<array{float, float}>  $ring  degrees
     */
    public static function onEllipsoid(array $ring, Ellipsoid $ellipsoid): float
    {
        $sum = $turn = 0.0;
        $before = null;
        foreach ($ring as [$longitude, $latitude]) {
            $q = $ellipsoid->q(deg2rad($latitude));
            if ($before !== null) {
                $step = Crs::turn(deg2rad($longitude - $before[0]));
                $sum += 0.5 * $step * ($q + $before[1]);
                $turn += $step;
            }
            $before = [$longitude, $q];
        }
        // a ring that goes all the way round holds a pole
        $whole = abs($turn) > M_PI ? 2 * M_PI * $ellipsoid->q(M_PI / 2) : 0.0;

        return 0.5 * $ellipsoid->axis ** 2 * abs($whole - abs($sum));
    }

    private function planeArea(): float
    {
        return $this->grid->pixelArea() * $this->metres ** 2;
    }

    /** @return array{float, float} longitude and latitude on the datum of the grid, in degrees */
    private function place(float $col, float $row): array
    {
        assert($this->projection !== null);

        return $this->projection->inverse(...$this->grid->toMap($col, $row));
    }

    private function quadrangle(float $col, float $row, float $width, float $height): float
    {
        $ring = [[$col, $row], [$col + $width, $row], [$col + $width, $row + $height], [$col, $row + $height], [$col, $row]];
        $places = array_map(fn (array $corner): array => $this->place(...$corner), $ring);

        return self::onEllipsoid($places, $this->ellipsoid);
    }

    /** @return array{bool, bool} whether areas and lengths in the plane are those on the ellipsoid, all over the grid */
    private function keeps(): array
    {
        if ($this->projection instanceof Geographic) {
            return [false, false];
        }
        $t = $this->grid->transform;
        [$across, $down] = [hypot($t[1], $t[4]) * $this->metres, hypot($t[2], $t[5]) * $this->metres];
        $areas = $lengths = 0.0;
        for ($i = 0; $i <= 4; $i++) {
            for ($j = 0; $j <= 4; $j++) {
                [$col, $row] = [($this->grid->width - 1) * $i / 4, ($this->grid->height - 1) * $j / 4];
                $corners = [$this->place($col, $row), $this->place($col + 1, $row), $this->place($col, $row + 1)];
                if (is_nan(array_sum(array_merge(...$corners)))) {
                    continue;
                }
                $areas = max($areas, abs($this->quadrangle($col, $row, 1.0, 1.0) / $this->planeArea() - 1));
                $lengths = max(
                    $lengths,
                    abs(Geodesic::distance($corners[0], $corners[1], $this->ellipsoid) / $across - 1),
                    abs(Geodesic::distance($corners[0], $corners[2], $this->ellipsoid) / $down - 1),
                );
            }
        }

        return [$areas <= self::TOLERANCE, $lengths <= self::TOLERANCE];
    }

    private function piece(): int
    {
        $width = $this->grid->width;
        $most = 0.0;
        foreach ([0, 0.5 * $this->grid->height, $this->grid->height - 1] as $row) {
            $before = null;
            for ($i = 0; $i <= 8; $i++) {
                $area = $this->quadrangle(($width - 1) * $i / 8, $row, 1.0, 1.0);
                if ($before !== null && $area > 0 && $before > 0) {
                    $most = max($most, abs($area / $before - 1));
                }
                $before = $area;
            }
        }

        return $most < self::ALIKE / 8 ? $width : max(1, (int) ($width / 8 * self::ALIKE / $most));
    }

    /**
     * Places along an edge, its start first, its end left out.
     *
     * @param  array{float, float}  $from
     * @param  array{float, float}  $to
     * @return list<array{float, float}>
     */
    private function edge(array $from, array $to): array
    {
        $parts = max(1, (int) ceil(max(abs($to[0] - $from[0]), abs($to[1] - $from[1])) / $this->straight));
        $places = [];
        for ($k = 0; $k < $parts; $k++) {
            $places[] = [$from[0] + ($to[0] - $from[0]) * $k / $parts, $from[1] + ($to[1] - $from[1]) * $k / $parts];
        }

        return $places;
    }

    /** @param  list<array{float, float}>  $ring */
    private static function shoelace(array $ring): float
    {
        $sum = 0.0;
        [$x, $y] = $ring[count($ring) - 1];
        foreach ($ring as [$nextX, $nextY]) {
            $sum += $x * $nextY - $nextX * $y;
            [$x, $y] = [$nextX, $nextY];
        }

        return 0.5 * $sum;
    }
}
