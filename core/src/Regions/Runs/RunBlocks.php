<?php

namespace Chorometra\Core\Regions\Runs;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Workers;

/**
 * A class map in blocks of rows, each as runs with their parts in a file: memory goes with the block at hand, and with the parts that touch
 * a seam. Parts are those of the whole map, numbered from 1 in scan order of their first pixel; 0 is nodata.
 */
final class RunBlocks
{
    private const MOST_ROWS = 256;

    /** Values of a block. */
    private const MOST_VALUES = 1 << 21;

    /** Parts of the whole map. */
    public readonly int $count;

    /** @var list<int> parts of each block by itself */
    private readonly array $parts;

    /** @var list<int> parts of the map that begin before each block */
    private readonly array $before;

    /** @var list<array<int, int>> by block: parts that go on from above or from beside, and their number in the map, rising */
    private readonly array $joined;

    /** @var array{int, RunMap, list<int>}|null the block read last, by its number */
    private ?array $held = null;

    /**
     * @param  string  $stem  of the files' names
     * @param  list<array{int, array{list<int>, list<int>, list<int>}, array{list<int>, list<int>, list<int>}}>  $seams
     *   by block: parts, and ends, codes and parts of its first row's runs, and of its last
     */
    private function __construct(
        public readonly int $width,
        public readonly int $height,
        public readonly int $rows,
        private readonly string $stem,
        private readonly int $neighbours,
        array $seams,
    ) {
        $this->parts = array_column($seams, 0);
        [$this->before, $this->joined, $this->count] = $this->joined($seams);
    }

    /**
     * @param  int  $neighbours  4 or 8
     * @param  \Closure(int, int): array{RunMap, mixed}  $make  the runs of a number of rows from the first on, and what else is to be told of them
     * @param  int  $values  that are held for each pixel
     * @return array{self, list<mixed>} and what was told, by block
     */
    public static function made(int $width, int $height, int $neighbours, Context $context, string $doing, \Closure $make, int $values = 1): array
    {
        $rows = max(1, min(self::MOST_ROWS, intdiv(self::MOST_VALUES, $width * max(1, $values))));

        return self::inRows($rows, $width, $height, $neighbours, $context, $doing, $make);
    }

    /**
     * @param  \Closure(int, int): array{RunMap, mixed}  $make
     * @return array{self, list<mixed>}
     */
    private static function inRows(int $rows, int $width, int $height, int $neighbours, Context $context, string $doing, \Closure $make): array
    {
        $stem = $context->folder().'/'.bin2hex(random_bytes(4));
        $seams = $told = [];
        Workers::run(intdiv($height + $rows - 1, $rows), $context, $doing, function (int $block) use ($make, $rows, $height, $neighbours, $stem): array {
            [$map, $told] = $make($block * $rows, min($rows, $height - $block * $rows));
            [$parts, $count] = $map->parts($neighbours);
            $bytes = $map->toBytes();
            Files::write("$stem-$block", pack('V', strlen($bytes)).$bytes.Codec::encodeCodes($parts, SampleType::UInt32));
            $of = function (int $row) use ($map, $parts): array {
                [$from, $number] = [$map->rowStart[$row], $map->rowStart[$row + 1] - $map->rowStart[$row]];

                return array_map(fn (array $of): array => array_slice($of, $from, $number), [$map->ends, $map->codes, $parts]);
            };

            return [[$count, $of(0), $of($map->rows() - 1)], $told];
        }, function (int $block, mixed $answer) use (&$seams, &$told): void {
            [$seams[], $told[]] = $answer;
        });

        return [new self($width, $height, $rows, $stem, $neighbours, $seams), $told];
    }

    /**
     * The parts of a class map; pixels without a value belong to none.
     *
     * @param  int  $more  than its own are the codes: with 0 unlabelled pixels belong to no part, with 1 they do
     */
    public static function ofMap(Image $map, int $neighbours, int $more, Context $context): self
    {
        $spec = $map->spec();
        $width = $spec->grid->width;
        $nodata = $spec->nodataCode();

        return self::made($width, $spec->grid->height, $neighbours, $context, 'reading classes', function (int $first, int $rows) use (
            $map,
            $width,
            $more,
            $nodata,
        ): array {
            $codes = Values::codes($map, new Window(0, $first, $width, $rows));
            $runs = new RunMap($width);
            $runs->append($codes, $rows);
            foreach ($runs->codes as $run => $code) {
                $runs->codes[$run] = $code === $nodata ? 0 : $code + $more;
            }

            return [$runs, null];
        })[0];
    }

    /** How many blocks there are. */
    public function blocks(): int
    {
        return count($this->parts);
    }

    /** @return array{RunMap, list<int>} the runs of a block, and the part of the map that each belongs to */
    public function block(int $block): array
    {
        if ($this->held === null || $this->held[0] !== $block) {
            $bytes = (string) file_get_contents("$this->stem-$block");
            $length = ((array) unpack('V', $bytes))[1];
            $map = new RunMap($this->width);
            $map->appendBytes(substr($bytes, 4, $length));
            $ids = $this->numbers($block);
            $parts = Codec::codes(substr($bytes, 4 + $length), SampleType::UInt32);
            foreach ($parts as $run => $part) {
                $parts[$run] = $ids[$part];
            }
            $this->held = [$block, $map, $parts];
        }

        return [$this->held[1], $this->held[2]];
    }

    /** Whole rows of parts' numbers, as raw samples of UInt32. */
    public function samples(Window $window): string
    {
        $samples = '';
        for ($row = $window->row, $end = $row + $window->height; $row < $end; $row += $count) {
            [$map, $parts] = $this->block(intdiv($row, $this->rows));
            $first = $row % $this->rows;
            $count = min($this->rows - $first, $end - $row);
            $samples .= $map->paintBytes($parts, SampleType::UInt32, $first, $count);
        }

        return $samples;
    }

    /**
     * Whole rows of what parts are painted with.
     *
     * @param  \Closure(int, int): int  $paint  a part and its code; 0 for both where there is none
     * @return list<int>
     */
    public function painted(Window $window, \Closure $paint): array
    {
        $painted = [];
        for ($row = $window->row, $end = $row + $window->height; $row < $end; $row += $count) {
            [$map, $parts] = $this->block(intdiv($row, $this->rows));
            $first = $row % $this->rows;
            $count = min($this->rows - $first, $end - $row);
            $values = $map->codes;
            for ($run = $map->rowStart[$first]; $run < $map->rowStart[$first + $count]; $run++) {
                $values[$run] = $paint($parts[$run], $map->codes[$run]);
            }
            $some = $map->paint($values, $first, $count);
            $painted = $painted === [] ? $some : array_merge($painted, $some);
        }

        return $painted;
    }

    /**
     * The same map with other codes, and so with other parts.
     *
     * @param  \Closure(int, int): int  $code  of a part and its code
     */
    public function recoded(Context $context, string $doing, \Closure $code): self
    {
        $recode = function (int $first) use ($code): array {
            [$map, $parts] = $this->block(intdiv($first, $this->rows));
            $codes = [];
            foreach ($parts as $run => $part) {
                $codes[] = $code($part, $map->codes[$run]);
            }

            return [$map->recoded($codes), null];
        };

        return self::inRows($this->rows, $this->width, $this->height, $this->neighbours, $context, $doing, $recode)[0];
    }

    /** Takes the files away. */
    public function remove(): void
    {
        foreach (array_keys($this->parts) as $block) {
            Files::remove("$this->stem-$block");
        }
    }

    /** @return list<int> number in the map of each part of a block */
    private function numbers(int $block): array
    {
        $ids = [0];
        $next = $this->before[$block];
        $joined = $this->joined[$block];
        for ($part = 1; $part <= $this->parts[$block]; $part++) {
            $ids[] = $joined[$part] ?? ++$next;
        }

        return $ids;
    }

    /**
     * Parts on both sides of a seam are one where their runs touch. The first in scan order gives the number.
     *
     * @param  list<array{int, array{list<int>, list<int>, list<int>}, array{list<int>, list<int>, list<int>}}>  $seams
     * @return array{list<int>, list<array<int, int>>, int}
     */
    private function joined(array $seams): array
    {
        $offsets = [0];
        foreach ($this->parts as $count) {
            $offsets[] = $offsets[count($offsets) - 1] + $count;
        }
        /** @var array<int, int> $into */
        $into = [];
        $root = function (int $part) use (&$into): int {
            while (($into[$part] ?? $part) !== $part) {
                $part = $into[$part];
            }

            return $part;
        };
        $reach = $this->neighbours === 8 ? 1 : 0;
        for ($block = 1; $block < count($seams); $block++) {
            [$endsAbove, $codesAbove, $partsAbove] = $seams[$block - 1][2];
            [$ends, $codes, $parts] = $seams[$block][1];
            $above = $start = 0;
            foreach ($ends as $run => $end) {
                while ($above < count($endsAbove) && $endsAbove[$above] + $reach <= $start) {
                    $above++;
                }
                for ($t = $above; $codes[$run] !== 0 && $t < count($endsAbove) && ($t === 0 ? 0 : $endsAbove[$t - 1]) < $end + $reach; $t++) {
                    if ($codesAbove[$t] === $codes[$run]) {
                        $ours = $offsets[$block] + $parts[$run];
                        $theirs = $offsets[$block - 1] + $partsAbove[$t];
                        [$a, $b] = [$root($ours), $root($theirs)];
                        if ($a !== $b) {
                            $into[max($a, $b)] = min($a, $b);
                        }
                        $into[$ours] = $into[$theirs] = min($a, $b);
                    }
                }
                $start = $end;
            }
        }
        ksort($into);
        // those that lead to another are counted out, block by block
        $before = $joined = $numbers = [];
        $block = $passed = 0;
        $leading = array_fill(0, count($seams), []);
        foreach ($into as $part => $one) {
            while ($part > $offsets[$block + 1]) {
                $block++;
            }
            if ($root($part) !== $part) {
                $leading[$block][] = $part;
                $passed++;
            } else {
                $numbers[$part] = $part - $passed;
            }
        }
        $count = 0;
        foreach ($leading as $block => $parts) {
            $before[] = $count;
            $joined[] = array_combine(
                array_map(fn (int $part): int => $part - $offsets[$block], $parts),
                array_map(fn (int $part): int => $numbers[$root($part)], $parts),
            );
            $count += $this->parts[$block] - count($parts);
        }

        return [$before, $joined, $count];
    }
}
