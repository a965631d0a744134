<?php

namespace Chorometra\Core\Deliver\Polygons;

/**
 * A region of a map with its rings, open (the first corner is not repeated): the outer one clockwise on screen, where rows grow downwards,
 * the holes the other way. A corner is row · wide + column.
 */
final readonly class Region
{
    /**
     * @param  list<array{float, int}>  $sums  of values over it, and how many there were, by band
     * @param  list<array{list<int>, list<int>}>  $rings  all corners, and those kept where it is simplified
     */
    public function __construct(
        public int $code,
        public int $pixels,
        public array $sums,
        private array $rings,
        private bool $isSimplified,
        private int $wide,
    ) {}

    /**
     * Rings as they are delivered: without corners on straight lines, or simplified, with all corners that neighbours share.
     *
     * @return list<list<int>> the shell first
     */
    public function delivered(): array
    {
        return $this->isSimplified ? $this->sorted(array_column($this->rings, 1)) : $this->exact();
    }

    /** @return list<list<int>> rings along the sides of the pixels, the shell first */
    public function exact(): array
    {
        return $this->sorted(array_map($this->turns(...), array_column($this->rings, 0)));
    }

    /**
     * Twice the signed area in pixels; above 0 clockwise on screen.
     *
     * @param  list<int>  $ring
     */
    public function twice(array $ring): int
    {
        $wide = $this->wide;
        $sum = 0;
        $before = $ring[count($ring) - 1];
        [$x, $y] = [$before % $wide, intdiv($before, $wide)];
        foreach ($ring as $corner) {
            $nextX = $corner % $wide;
            $nextY = intdiv($corner, $wide);
            $sum += $x * $nextY - $nextX * $y;
            [$x, $y] = [$nextX, $nextY];
        }

        return $sum;
    }

    /**
     * @param  list<int>  $ring
     * @param  array{float, float, float}  $metric  squares of one step along columns and along rows, and their product
     */
    public function length(array $ring, array $metric): float
    {
        $wide = $this->wide;
        [$across, $down, $skew] = $metric;
        $length = 0.0;
        $before = $ring[count($ring) - 1];
        [$x, $y] = [$before % $wide, intdiv($before, $wide)];
        foreach ($ring as $corner) {
            [$dx, $dy] = [$corner % $wide - $x, intdiv($corner, $wide) - $y];
            $length += sqrt($across * $dx * $dx + 2 * $skew * $dx * $dy + $down * $dy * $dy);
            $x += $dx;
            $y += $dy;
        }

        return $length;
    }

    /**
     * @param  list<int>  $ring
     * @return list<array{float, float}> column and row of each corner
     */
    public function positions(array $ring): array
    {
        return array_map(fn (int $corner): array => [(float) ($corner % $this->wide), (float) intdiv($corner, $this->wide)], $ring);
    }

    /**
     * @param  list<list<int>>  $rings
     * @return list<list<int>>
     */
    private function sorted(array $rings): array
    {
        $shells = $holes = [];
        foreach ($rings as $ring) {
            $this->twice($ring) > 0 ? $shells[] = $ring : $holes[] = $ring;
        }

        return [...$shells, ...$holes];
    }

    /**
     * @param  list<int>  $ring
     * @return list<int>
     */
    private function turns(array $ring): array
    {
        $out = [];
        $count = count($ring);
        $before = $ring[$count - 1];
        foreach ($ring as $i => $corner) {
            $after = $ring[$i + 1 === $count ? 0 : $i + 1];
            // corners follow each other along rows or columns
            if (intdiv($before, $this->wide) !== intdiv($after, $this->wide) && $before % $this->wide !== $after % $this->wide) {
                $out[] = $corner;
            }
            $before = $corner;
        }

        return $out;
    }
}
