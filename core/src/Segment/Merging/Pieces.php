<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Regions\Numbers\Neighbours;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Memory;
use Chorometra\Core\Work\Workers;

/**
 * The pieces that merging begins with: of a few pixels each, made tile by tile on all workers. Tiles belong to the definition, and are the same
 * however many work.
 */
final class Pieces
{
    /** Pixels of a tile each way, and of those around it that it sees. */
    public const TILE = 256;

    public const AROUND = 12;

    /** Bytes for each pixel of a tile. */
    private const PIXEL = 400;

    /**
     * @param  string  $file  of the number of each pixel's piece, from 1; 0 for none
     * @param  list<int>  $ids  numbers of the first pixels of pieces, tile by tile
     * @param  list<string>  $records  in the same order, packed as doubles
     * @param  int  $pixels  in all of them
     * @param  array<int, true>  $apart  numbers of those that stay as they are
     */
    private function __construct(
        private readonly Grid $grid,
        private readonly string $file,
        private readonly Context $context,
        public readonly array $ids,
        private array $records,
        public readonly int $pixels,
        private readonly array $apart = [],
    ) {}

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
        int $side = self::TILE,
        int $around = self::AROUND,
    ): self {
        $grid = $bands[0][0]->spec()->grid;
        $folder = $context->folder().'/'.bin2hex(random_bytes(4));
        Files::folder($folder);
        $tiles = self::tiles($grid, $side);
        $inside = $pixels = $free = 0;
        Workers::run(
            count($tiles),
            $context,
            'joining pixels',
            function (int $k) use ($tiles, $grid, $bands, $within, $factors, $ladder, $compact, $smooth, $around, $folder): array {
                $tile = $tiles[$k];
                $window = (new Window($tile->col - $around, $tile->row - $around, $tile->width + 2 * $around, $tile->height + 2 * $around))
                    ->within($grid->width, $grid->height);
                $values = MergedBands::window($bands, $within, $window, $factors);
                $made = TilePieces::of($values, $tile, $window, $grid, $ladder->lowest() ** 2, $compact, $smooth, $ladder->quantum());
                Files::write("$folder/$k.ids", pack('P*', ...$made->ids));
                Files::write("$folder/$k.records", MergeKernel::packed($made->records));
                Files::write("$folder/$k.numbers", pack('V*', ...$made->numbers));
                Files::write("$folder/$k.larger", serialize($made->larger));
                Files::write("$folder/$k.small", serialize($made->small));
                Files::write("$folder/$k.free", pack('P*', ...$made->free));
                Files::write("$folder/$k.values", MergeKernel::packed($made->values));

                return [count($made->ids), count(array_filter($made->numbers)), count($made->free)];
            },
            function (int $k, mixed $counts) use (&$inside, &$pixels, &$free): void {
                $inside += $counts[0];
                $pixels += $counts[1] + $counts[2];
                $free += $counts[2];
            },
        );

        // at most all that is free comes to stand by itself; lists are held twice as they grow
        Memory::reserve(
            (8 * MergeKernel::stride(count($bands)) + 48) * ($inside + $free) + 110 * $free + (64 << 20),
            'Merging',
            'use a part of the image, or smooth it first',
        );

        return self::collected($grid, $folder, $tiles, $pixels, count($bands), 4.0 * $compact + $smooth, $context);
    }

    /**
     * The connected parts of segments that are given instead; those outside the codes of a map stay as they are.
     *
     * @param  list<array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within
     * @param  list<float>  $factors
     */
    public static function given(Image $start, array $bands, ?array $within, array $factors, float $compact, float $smooth, Context $context): self
    {
        return new self(...GivenPieces::of($start, $bands, $within, $factors, $compact, $smooth, $context));
    }

    /** Bytes that tiles take at most, all workers together; a record is of $bands. */
    public static function memory(int $bands, int $workers): int
    {
        return $workers * (self::TILE + 2 * self::AROUND) ** 2 * (self::PIXEL + 16 * (MergeKernel::stride($bands) + 3 * $bands));
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
        (new Pass($grid))->gather(
            $this->context,
            'looking for neighbours',
            function (Window $window) use ($grid): array {
                $rows = min($window->height + 1, $grid->height - $window->row);

                return Neighbours::sides($this->numbers($window->row, $rows), $grid->width, $window->height, $rows);
            },
            function (array $found) use (&$edges): void {
                foreach ($found as $key => $sides) {
                    $edges[$key] = ($edges[$key] ?? 0) + ($sides >> 32) + ($sides & 0xFFFFFFFF);
                }
            },
        );
        // by number, whichever was met first
        ksort($edges);
        $ends = $lengths = [];
        foreach ($edges as $key => $length) {
            if (isset($this->apart[$key >> 32]) || isset($this->apart[$key & 0xFFFFFFFF])) {
                continue;
            }
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
        $bytes = (string) file_get_contents($this->file, false, null, 4 * $first * $this->grid->width, max(0, 4 * $rows * $this->grid->width));

        return array_values((array) unpack('V*', $bytes));
    }

    /**
     * Those of the pieces in their order, which are given away.
     *
     * @return list<float>
     */
    public function records(): array
    {
        // an array that grows would be held twice
        $records = array_fill(0, intdiv(array_sum(array_map(strlen(...), $this->records)), 8), 0.0);
        $at = 0;
        while ($this->records !== []) {
            self::unpackInto($records, $at, (string) array_shift($this->records));
        }

        return $records;
    }

    /** @return non-empty-list<Window> */
    private static function tiles(Grid $grid, int $side): array
    {
        $tiles = [];
        for ($row = 0; $row < $grid->height; $row += $side) {
            for ($col = 0; $col < $grid->width; $col += $side) {
                $tiles[] = new Window($col, $row, min($side, $grid->width - $col), min($side, $grid->height - $row));
            }
        }

        return $tiles === [] ? throw Problem::computation('An image has pixels.') : $tiles;
    }

    /**
     * What the tiles have found, as one. Pieces across an edge stand where all their pixels are free, those of the first tile first; then the small ones
     * that others were to be made of; then pixels by themselves.
     *
     * @param  list<Window>  $tiles
     * @param  int  $pixels  in all of them
     * @param  float  $own  what a pixel costs by itself
     */
    private static function collected(Grid $grid, string $folder, array $tiles, int $pixels, int $bands, float $own, Context $context): self
    {
        $ids = $records = $taken = $before = [];
        // those of a tile stay together: what merging looks at next is near
        foreach (array_keys($tiles) as $k) {
            $before[$k] = count($ids);
            foreach (self::numbersIn("$folder/$k.ids") as $id) {
                $ids[] = $id;
            }
            $records[] = (string) file_get_contents("$folder/$k.records");
            foreach (self::numbersIn("$folder/$k.free") as $pixel) {
                $taken[$pixel] = 0;
            }
        }
        foreach (['larger', 'small'] as $size) {
            foreach (array_keys($tiles) as $k) {
                /** @var list<array{list<float>, list<int>}> $pieces */
                $pieces = unserialize((string) file_get_contents("$folder/$k.$size"), ['allowed_classes' => false]);
                $packed = '';
                foreach ($pieces as [$record, $of]) {
                    $packed .= self::take($taken, $ids, $of) ? pack('e*', ...$record) : '';
                }
                $records[] = $packed;
            }
        }
        foreach (array_keys($tiles) as $k) {
            $values = self::valuesIn("$folder/$k.values");
            $packed = '';
            foreach (self::numbersIn("$folder/$k.free") as $i => $pixel) {
                if ($taken[$pixel] === 0) {
                    $ids[] = $pixel;
                    $taken[$pixel] = count($ids);
                    [$col, $row] = [(float) ($pixel % $grid->width), (float) intdiv($pixel, $grid->width)];
                    $packed .= pack('e7', 1.0, 4.0, $col, $col, $row, $row, $own);
                    for ($band = 0; $band < $bands; $band++) {
                        $packed .= pack('e2', $values[$i * $bands + $band], 0.0);
                    }
                }
            }
            $records[] = $packed;
        }
        $file = "$folder/numbers";
        $handle = fopen($file, 'w+b') ?: throw Problem::computation("No room for temporary files in $folder.");
        ftruncate($handle, max(0, 4 * $grid->width * $grid->height));
        foreach ($tiles as $k => $tile) {
            $numbers = array_values((array) unpack('V*', (string) file_get_contents("$folder/$k.numbers")));
            self::renumber($numbers, $before[$k], count($numbers));
            foreach (self::numbersIn("$folder/$k.free") as $pixel) {
                $numbers[(intdiv($pixel, $grid->width) - $tile->row) * $tile->width + $pixel % $grid->width - $tile->col] = $taken[$pixel];
            }
            $bytes = pack('V*', ...$numbers);
            for ($row = 0; $row < $tile->height; $row++) {
                fseek($handle, 4 * (($tile->row + $row) * $grid->width + $tile->col));
                Files::put($handle, substr($bytes, 4 * $row * $tile->width, 4 * $tile->width), $file);
            }
            array_map(fn (string $what) => Files::remove("$folder/$k.$what"), ['ids', 'records', 'numbers', 'larger', 'small', 'free', 'values']);
        }
        fclose($handle);

        return new self($grid, $file, $context, $ids, $records, $pixels);
    }

    /**
     * A piece across an edge stands where all its pixels are free.
     *
     * @param  array<int, int>  $taken  by pixel the number of the piece that has it, 0 for none
     * @param  list<int>  $ids
     * @param  list<int>  $of
     */
    private static function take(array &$taken, array &$ids, array $of): bool
    {
        foreach ($of as $pixel) {
            if (($taken[$pixel] ?? 1) !== 0) {
                return false;
            }
        }
        $ids[] = $of[0];
        foreach ($of as $pixel) {
            $taken[$pixel] = count($ids);
        }

        return true;
    }

    /** @param  list<int>  $numbers */
    private static function renumber(array &$numbers, int $before, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            if ($numbers[$i] > 0) {
                $numbers[$i] += $before;
            }
        }
    }

    /** @param  list<float>  $records */
    private static function unpackInto(array &$records, int &$at, string $packed): void
    {
        foreach ((array) unpack('e*', $packed) as $value) {
            $records[$at++] = (float) $value;
        }
    }

    /** @return list<int> */
    private static function numbersIn(string $path): array
    {
        return array_map(intval(...), array_values((array) unpack('P*', (string) file_get_contents($path))));
    }

    /** @return list<float> */
    private static function valuesIn(string $path): array
    {
        return array_map(floatval(...), array_values((array) unpack('e*', (string) file_get_contents($path))));
    }
}
