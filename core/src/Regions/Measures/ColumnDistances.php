<?php

namespace Chorometra\Core\Regions\Measures;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

/** How many rows away the nearest pixel of a class is in each column: down the image and up again, kept in a file. */
final class ColumnDistances
{
    /** Instead of a number, where a column has none. */
    public const NONE = 0xFFFFFFFF;

    private const ROWS = 256;

    private readonly string $file;

    private readonly int $width;

    /** @throws Problem where no temporary file can be written */
    public function __construct(private readonly Image $map, private readonly int $code, private readonly Context $context)
    {
        $grid = $map->spec()->grid;
        $this->width = $grid->width;
        $this->file = $context->folder().'/'.bin2hex(random_bytes(4));
        $handle = fopen($this->file, 'w+b') ?: throw Problem::computation('No room for temporary files.');
        $far = array_fill(0, $this->width, self::NONE);
        for ($first = 0; $first < $grid->height; $first += self::ROWS) {
            $this->context->report(0.0, 'looking for the class');
            $rows = min(self::ROWS, $grid->height - $first);
            $codes = Values::codes($map, new Window(0, $first, $this->width, $rows));
            Files::put($handle, Codec::encodeCodes(self::down($far, $codes, $this->code, $this->width, $rows), SampleType::UInt32), $this->file);
        }
        $far = array_fill(0, $this->width, self::NONE);
        for ($first = $grid->height; $first > 0; $first = $start) {
            $start = max(0, $first - self::ROWS);
            $all = $this->read($start, $first - $start);
            self::up($far, $all, $this->width, $first - $start);
            fseek($handle, 4 * $start * $this->width);
            Files::put($handle, Codec::encodeCodes($all, SampleType::UInt32), $this->file);
        }
        fclose($handle);
    }

    public function __destruct()
    {
        // workers are ended without this: the file goes once, with whoever made it
        @unlink($this->file);
    }

    /** @return \Generator<int, list<int>> row by row */
    public function rows(int $first, int $count): \Generator
    {
        for ($row = 0; $row < $count; $row++) {
            yield $row => $this->read($first + $row, 1);
        }
    }

    /** @return list<int> */
    private function read(int $first, int $rows): array
    {
        $bytes = file_get_contents($this->file, false, null, 4 * $first * $this->width, max(0, 4 * $rows * $this->width));

        return Codec::codes((string) $bytes, SampleType::UInt32);
    }

    /**
     * @param  list<int>  $far  of the row above, and then of the last one
     * @param  list<int>  $codes
     * @return list<int>
     */
    private static function down(array &$far, array $codes, int $code, int $width, int $rows): array
    {
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $width; $col++, $i++) {
                if ($codes[$i] === $code) {
                    $far[$col] = 0;
                } elseif ($far[$col] !== self::NONE) {
                    $far[$col]++;
                }
                $codes[$i] = $far[$col];
            }
        }

        return $codes;
    }

    /**
     * @param  list<int>  $far  of the row below, and then of the first one
     * @param  list<int>  $all  how far it is upwards, and then either way
     */
    private static function up(array &$far, array &$all, int $width, int $rows): void
    {
        for ($i = $rows * $width - 1; $i > -1;) {
            for ($col = $width - 1; $col > -1; $col--, $i--) {
                if ($far[$col] !== self::NONE) {
                    $far[$col]++;
                }
                if ($all[$i] < $far[$col]) {
                    $far[$col] = $all[$i];
                }
                $all[$i] = $far[$col];
            }
        }
    }
}
