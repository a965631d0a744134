<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Geo\Ground;

/** Places none of which lies nearer to another than a distance on the ground. */
final class Spacing
{
    /** @var array<string, list<array{float, float, float, float, float}>> places taken by cell of space: column, row, position */
    private array $cells = [];

    /** @param  float  $distance  metres */
    public function __construct(private readonly Ground $ground, private readonly float $distance) {}

    /** Takes a place of the grid, in pixels, unless it is too near to one that was taken. */
    public function take(float $col, float $row): bool
    {
        [$x, $y, $z] = $this->ground->position($col, $row);
        [$i, $j, $k] = array_map(fn (float $at): int => (int) floor($at / $this->distance), [$x, $y, $z]);
        for ($a = $i - 1; $a <= $i + 1; $a++) {
            for ($b = $j - 1; $b <= $j + 1; $b++) {
                for ($c = $k - 1; $c <= $k + 1; $c++) {
                    foreach ($this->cells["$a/$b/$c"] ?? [] as [$otherCol, $otherRow, $otherX, $otherY, $otherZ]) {
                        $straight = sqrt(($otherX - $x) ** 2 + ($otherY - $y) ** 2 + ($otherZ - $z) ** 2);
                        if (
                            $straight < $this->distance &&
                            ($this->ground->keepsLengths || $this->ground->distance([$col, $row], [$otherCol, $otherRow]) < $this->distance)
                        ) {
                            return false;
                        }
                    }
                }
            }
        }
        $this->cells["$i/$j/$k"][] = [$col, $row, $x, $y, $z];

        return true;
    }
}
