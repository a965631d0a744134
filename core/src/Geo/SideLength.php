<?php

namespace Chorometra\Core\Geo;

/**
 * How long the sides of pixels are: the one measure of edges wherever they are compared or shared out. All but square pixels are square, and
 * lengths whole numbers of sides; of others a side between columns is longer or shorter by what a row is high, at the middle of the grid. Whole
 * numbers throughout, so that edges that are alike are found alike in any order of adding.
 */
final readonly class SideLength
{
    /** Parts of the side between rows in which the other is told. */
    private const PARTS = 1024;

    private const SQUARE = 1e-3;

    /**
     * @param  int  $column  of a side between two columns
     * @param  int  $row  of a side between two rows, in the same unit
     */
    private function __construct(public int $column, public int $row) {}

    public static function of(?Ground $ground): self
    {
        [$wide, $high] = $ground?->steps() ?? [1.0, 1.0];
        $ratio = $high / $wide;

        return abs($ratio - 1.0) < self::SQUARE ? new self(1, 1) : new self(max(1, (int) round(self::PARTS * $ratio)), self::PARTS);
    }

    /** Sides between columns and between rows together, in sides between rows. */
    public function along(int $columns, int $rows): float
    {
        return ($columns * $this->column + $rows * $this->row) / $this->row;
    }
}
