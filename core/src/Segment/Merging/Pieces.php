<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Segment\Numbers\Neighbours;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Workers;

/**
 * The pieces of a few pixels that come together before the first limit, made part by part on all workers.
 *
 * Each part sees some pixels around it, and how far their being cut off is felt; where that reaches the part itself, it looks again with more around it.
 * So the pieces are those of the image as a whole, to the bit, however it is parted. A piece belongs to the part that holds its first pixel.
 */
final class Pieces
{
    /** Pixels of a part each way, and those around it. */
    private const SIDE = 512;

    private const AROUND = 64;

    /** Bytes for each pixel of a part beside its record: edges, lists, costs. */
    private const PIXEL = 420;

    /** Rows of labels that are read together. */
    private const ROWS = 128;

    /** @var list<int> numbers of first pixels, rising */
    public array $ids = [];

    /** @var list<float> */
    private array $records = [];

    /** Pixels in all of them. */
    public int $pixels = 0;

    /** @var list<int> pieces that begin above each row */
    private array $above;

    /** @param  string  $file  of the first pixel of each pixel's piece, counted from 1 */
    private function __construct(private readonly Grid $grid, private readonly string $file, private readonly Context $context) {}

    /**
     * @param  list<array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within
     * @param  list<float>  $factors  by which values are multiplied
     */
    public static function of(
        array $bands,
        ?array $within,
        array $factors,
        Ladder $ladder,
        float $compact,
        float $smooth,
        Context $context,
        int $side = self::SIDE,
        int $around = self::AROUND,
    ): self {
        $grid = $bands[0][0]->spec()->grid;
        $folder = $context->folder().'/'.bin2hex(random_bytes(4));
        Files::folder($folder);
        $parts = self::parts($grid, $side, $context->workers);
        $pieces = new self($grid, "$folder/roots", $context);
        Workers::run(
            count($parts),
            $context,
            'joining pixels',
            function (int $k) use ($parts, $bands, $within, $factors, $ladder, $compact, $smooth, $around, $folder): int {
                for (; ; $around *= 2) {
                    $made = self::part($parts[$k], $around, $bands, $within, $factors, $ladder, $compact, $smooth);
                    if ($made !== null) {
                        [$ids, $records, $roots, $pixels] = $made;
                        Files::write("$folder/$k.ids", pack('P*', ...$ids));
                        Files::write("$folder/$k.records", $records);
                        Files::write("$folder/$k.roots", $roots);

                        return $pixels;
                    }
                }
            },
            function (int $k, mixed $pixels) use ($pieces): void {
                $pieces->pixels += $pixels;
            },
        );
        $pieces->collect($folder, $parts, MergeKernel::stride(count($bands)));

        return $pieces;
    }

    /** Bytes that the parts take at most, all workers together; a record is of $bands. */
    public static function memory(int $bands, int $workers): int
    {
        return $workers * (self::SIDE + 4 * self::AROUND) ** 2 * (self::PIXEL + 16 * (MergeKernel::stride($bands) + $bands));
    }

    /**
     * Which pieces touch, and along how many sides of pixels.
     *
     * @return array{list<int>, list<int>} places of both, edge by edge, and lengths
     */
    public function edges(): array
    {
        $grid = $this->grid;
        $edges = [];
        Workers::run(
            intdiv($grid->height + self::ROWS - 1, self::ROWS),
            $this->context,
            'looking for neighbours',
            function (int $block) use ($grid): array {
                $first = $block * self::ROWS;
                $rows = min(self::ROWS + 1, $grid->height - $first);

                return Neighbours::sides($this->numbers($first, $rows), $grid->width, min(self::ROWS, $rows), $rows);
            },
            function (int $block, mixed $found) use (&$edges): void {
                foreach ($found as $key => $sides) {
                    $edges[$key] = ($edges[$key] ?? 0) + ($sides >> 32) + ($sides & 0xFFFFFFFF);
                }
            },
        );
        // in one order, however many worked
        ksort($edges);
        $ends = $lengths = [];
        foreach ($edges as $key => $length) {
            $ends[] = ($key >> 32) - 1;
            $ends[] = ($key & 0xFFFFFFFF) - 1;
            $lengths[] = $length;
        }

        return [$ends, $lengths];
    }

    /**
     * Numbers of the pieces of some rows, their places counted from 1; 0 for none.
     *
     * @return list<int>
     */
    public function numbers(int $first, int $rows): array
    {
        $count = $rows * $this->grid->width;
        /** @var list<int> $roots */
        $roots = array_values((array) unpack('V*', (string) file_get_contents($this->file, false, null, 4 * $first * $this->grid->width, max(0, 4 * $count))));
        $known = [];
        for ($i = 0; $i < $count; $i++) {
            $root = $roots[$i];
            $roots[$i] = $root === 0 ? 0 : ($known[$root] ??= $this->place($root - 1) + 1);
        }

        return $roots;
    }

    /**
     * Those of the pieces in their order, which are given away.
     *
     * @return list<float>
     */
    public function records(): array
    {
        [$records, $this->records] = [$this->records, []];

        return $records;
    }

    private function place(int $id): int
    {
        $row = intdiv($id, $this->grid->width);
        [$low, $high] = [$this->above[$row], $this->above[$row + 1] - 1];
        while ($low < $high) {
            $middle = ($low + $high) >> 1;
            if ($this->ids[$middle] < $id) {
                $low = $middle + 1;
            } else {
                $high = $middle;
            }
        }

        return $low;
    }

    /** @return non-empty-list<Window> */
    private static function parts(Grid $grid, int $side, int $workers): array
    {
        // something to do for all, and as little as can be around it
        $high = min($side, max(64, intdiv($grid->height + $workers - 1, $workers)));
        $parts = [];
        for ($row = 0; $row < $grid->height; $row += $high) {
            for ($col = 0; $col < $grid->width; $col += $side) {
                $parts[] = new Window($col, $row, min($side, $grid->width - $col), min($high, $grid->height - $row));
            }
        }

        return $parts === [] ? throw Problem::computation('An image has pixels.') : $parts;
    }

    /**
     * Numbers and packed records of the pieces that begin in a part, the first pixel of each pixel's piece counted from 1, and valid pixels; null where
     * what lies beyond is felt within it.
     *
     * @param  list<array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within
     * @param  list<float>  $factors
     * @return array{list<int>, string, string, int}|null
     */
    private static function part(
        Window $part,
        int $around,
        array $bands,
        ?array $within,
        array $factors,
        Ladder $ladder,
        float $compact,
        float $smooth,
    ): ?array {
        $grid = $bands[0][0]->spec()->grid;
        $window = (new Window($part->col - $around, $part->row - $around, $part->width + 2 * $around, $part->height + 2 * $around))
            ->within($grid->width, $grid->height);
        $values = MergedBands::window($bands, $within, $window, $factors);
        [$records, $own, $ends, $lengths] = PixelGraph::ofPixels($values, $window->width, $window->height, 4.0 * $compact + $smooth);
        $ids = $doubts = [];
        foreach ($own as $place => $pixel) {
            [$col, $row] = [$pixel % $window->width, intdiv($pixel, $window->width)];
            $ids[] = ($window->row + $row) * $grid->width + $window->col + $col;
            $isCut = ($col === 0 && $window->col > 0) || ($row === 0 && $window->row > 0)
                || ($col === $window->width - 1 && $window->col + $window->width < $grid->width)
                || ($row === $window->height - 1 && $window->row + $window->height < $grid->height);
            if ($isCut) {
                $doubts[] = $place;
            }
        }
        $graph = new RegionGraph($records, $ids, $ends, $lengths, count($bands), $compact, $smooth, $ladder->quantum(), $doubts);
        unset($records, $ends, $lengths);
        $ladder->start($graph);
        [$first, $second] = $graph->joins();
        $into = array_combine($second, $first);
        $roots = array_fill(0, $part->pixels(), 0);
        $pixels = 0;
        $seen = [];
        foreach ($own as $place => $pixel) {
            [$col, $row] = [$pixel % $window->width + $window->col - $part->col, intdiv($pixel, $window->width) + $window->row - $part->row];
            if ($col >= 0 && $row >= 0 && $col < $part->width && $row < $part->height) {
                for ($at = $ids[$place]; isset($into[$at]); $at = $into[$at]);
                $roots[$row * $part->width + $col] = $at + 1;
                $seen[$at] = true;
                $pixels++;
            }
        }
        $mine = [];
        $packed = '';
        foreach ($graph->regions() as $id => [$record, $isDoubted]) {
            if ($isDoubted && isset($seen[$id])) {
                return null;
            }
            [$col, $row] = [$id % $grid->width, intdiv($id, $grid->width)];
            if ($col >= $part->col && $row >= $part->row && $col < $part->col + $part->width && $row < $part->row + $part->height) {
                foreach ([MergeKernel::FIRST_COLUMN, MergeKernel::LAST_COLUMN] as $k) {
                    $record[$k] += $window->col;
                }
                foreach ([MergeKernel::FIRST_ROW, MergeKernel::LAST_ROW] as $k) {
                    $record[$k] += $window->row;
                }
                $mine[$id] = $record;
            }
        }
        ksort($mine);
        foreach ($mine as $record) {
            $packed .= pack('e*', ...$record);
        }

        return [array_keys($mine), $packed, pack('V*', ...$roots), $pixels];
    }

    /**
     * What the parts have found, as one.
     *
     * @param  list<Window>  $parts
     */
    private function collect(string $folder, array $parts, int $stride): void
    {
        $grid = $this->grid;
        $of = $records = [];
        $handle = fopen($this->file, 'w+b') ?: throw Problem::computation("No room for temporary files in $folder.");
        ftruncate($handle, max(0, 4 * $grid->width * $grid->height));
        foreach ($parts as $k => $part) {
            $records[$k] = (string) file_get_contents("$folder/$k.records");
            foreach (array_values((array) unpack('P*', (string) file_get_contents("$folder/$k.ids"))) as $i => $id) {
                $of[$id] = $k << 32 | $i;
            }
            $roots = (string) file_get_contents("$folder/$k.roots");
            for ($row = 0; $row < $part->height; $row++) {
                fseek($handle, 4 * (($part->row + $row) * $grid->width + $part->col));
                Files::put($handle, substr($roots, 4 * $row * $part->width, 4 * $part->width), $this->file);
            }
            array_map(fn (string $what) => Files::remove("$folder/$k.$what"), ['ids', 'records', 'roots']);
        }
        fclose($handle);
        ksort($of);
        foreach ($of as $place) {
            array_push($this->records, ...array_values((array) unpack('e*', substr($records[$place >> 32], 8 * $stride * ($place & 0xFFFFFFFF), 8 * $stride))));
        }
        $this->ids = array_keys($of);
        $above = array_fill(0, $grid->height + 1, 0);
        foreach ($this->ids as $id) {
            $above[intdiv($id, $grid->width) + 1]++;
        }
        for ($row = 0; $row < $grid->height; $row++) {
            $above[$row + 1] += $above[$row];
        }
        $this->above = $above;
    }
}
