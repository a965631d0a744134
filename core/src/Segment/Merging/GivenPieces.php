<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Regions\Runs\RunBlocks;
use Chorometra\Core\Regions\Runs\RunMap;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Workers;

/** Pieces that are the connected parts of segments: read block by block of rows, and put together where they go on. */
final class GivenPieces
{
    /** Numbers of segments are read as whole numbers that can be doubled. */
    private const MOST = 0x7FFFFFFF;

    /**
     * @param  list<array{Image, int}>  $bands
     * @param  array{Image, array<int, true>}|null  $within  a class map and the codes in which pieces join; others stay
     * @param  list<float>  $factors
     * @return array{Grid, string, Context, list<int>, list<string>, int, array<int, true>} what Pieces are made of
     *
     * @throws Problem where numbers of segments are too large
     */
    public static function of(
        Image $start,
        array $bands,
        ?array $within,
        array $factors,
        float $compact,
        float $smooth,
        Context $context,
    ): array {
        $grid = $start->spec()->grid;
        [$blocks, $counts] = RunBlocks::made($grid->width, $grid->height, 4, $context, 'reading segments', function (int $first, int $rows) use (
            $start,
            $bands,
            $within,
            $grid,
        ): array {
            $window = new Window(0, $first, $grid->width, $rows);
            $codes = Values::codes($start, $window);
            if ($codes !== [] && max($codes) > self::MOST) {
                throw Problem::input("{$start->name()} has numbers above ".number_format(self::MOST).': renumber its segments.', 'start');
            }
            $valid = MergedBands::window($bands, null, $window)[0];
            $inside = $within === null ? null : MergedBands::window($bands, $within, $window)[0];
            $map = new RunMap($grid->width);
            $pixels = 0;
            $map->append(self::coded($codes, $valid, $inside, count($codes), $pixels), $rows);

            return [$map, $pixels];
        }, count($bands) + 2);
        $file = $context->folder().'/'.bin2hex(random_bytes(4));
        self::write($blocks, $file);
        [$ids, $apart] = self::firsts($blocks);
        $records = self::records($blocks, $bands, $factors, $compact, $smooth, $context);
        $blocks->remove();

        return [$grid, $file, $context, $ids, [MergeKernel::packed($records)], (int) array_sum($counts), $apart];
    }

    /**
     * Twice the number of the segment, and one more inside; 0 where there is none or a band has no value.
     *
     * @param  list<int>  $codes
     * @param  list<float>  $valid
     * @param  list<float>|null  $inside
     * @return list<int>
     */
    private static function coded(array $codes, array $valid, ?array $inside, int $count, int &$pixels): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($codes[$i] === 0 || $valid[$i] !== $valid[$i]) {
                $codes[$i] = 0;
            } else {
                $pixels++;
                $codes[$i] = 2 * $codes[$i] + ($inside === null || $inside[$i] === $inside[$i] ? 1 : 0);
            }
        }

        return $codes;
    }

    private static function write(RunBlocks $blocks, string $file): void
    {
        $handle = fopen($file, 'w+b') ?: throw Problem::computation("No room for temporary files beside $file.");
        for ($row = 0; $row < $blocks->height; $row += $blocks->rows) {
            Files::put($handle, $blocks->samples(new Window(0, $row, $blocks->width, min($blocks->rows, $blocks->height - $row))), $file);
        }
        fclose($handle);
    }

    /** @return array{list<int>, array<int, true>} first pixels in the order of the numbers; and numbers of those outside */
    private static function firsts(RunBlocks $blocks): array
    {
        $ids = $apart = [];
        for ($block = 0; $block < $blocks->blocks(); $block++) {
            [$map, $parts] = $blocks->block($block);
            for ($row = 0; $row < $map->rows(); $row++) {
                $start = 0;
                for ($run = $map->rowStart[$row]; $run < $map->rowStart[$row + 1]; $run++) {
                    // parts are numbered as they begin
                    if ($parts[$run] > count($ids)) {
                        $ids[] = ($block * $blocks->rows + $row) * $blocks->width + $start;
                        if ($map->codes[$run] % 2 === 0) {
                            $apart[$parts[$run]] = true;
                        }
                    }
                    $start = $map->ends[$run];
                }
            }
        }

        return [$ids, $apart];
    }

    /**
     * @param  list<array{Image, int}>  $bands
     * @param  list<float>  $factors
     * @return list<float>
     */
    private static function records(RunBlocks $blocks, array $bands, array $factors, float $compact, float $smooth, Context $context): array
    {
        $stride = MergeKernel::stride(count($bands));
        $measure = function (int $block) use ($blocks, $bands, $factors, $compact, $smooth): string {
            $first = $block * $blocks->rows;
            $rows = min($blocks->rows, $blocks->height - $first);
            $values = MergedBands::window($bands, null, new Window(0, $first, $blocks->width, $rows), $factors);
            // a row more, for the sides along the seam
            $all = min($rows + 1, $blocks->height - $first);
            $numbers = Codec::codes($blocks->samples(new Window(0, $first, $blocks->width, $all)), SampleType::UInt32);
            [$local, $parts] = self::local($numbers, count($numbers), $rows * $blocks->width);
            $records = RegionRecords::of($values, $local, count($parts), $blocks->width, $rows, 0, $first, $compact, $smooth);

            return pack('V*', count($parts), ...$parts).MergeKernel::packed($records);
        };
        $found = Workers::all($blocks->blocks(), $context, 'measuring segments', $measure);
        $records = $into = $places = [];
        foreach ($found as $packed) {
            $count = ((array) unpack('V', $packed))[1];
            foreach (array_values((array) unpack("V$count", $packed, 4)) as $part) {
                $into[] = $places[$part] ??= count($into);
            }
            foreach ((array) unpack('e*', substr($packed, 4 + 4 * $count)) as $value) {
                $records[] = (float) $value;
            }
        }
        MergeKernel::together(count($bands), $compact, $smooth)($records, $into, [], [], count($into));
        ksort($places);
        $whole = [];
        foreach ($places as $place) {
            array_push($whole, ...array_slice($records, $place * $stride, $stride));
        }

        return $whole;
    }

    /**
     * Numbers among those of some pixels, from 1 as they come; 0 for those that none of them has.
     *
     * @param  list<int>  $numbers
     * @return array{list<int>, list<int>} and the parts in that order
     */
    private static function local(array $numbers, int $count, int $pixels): array
    {
        $known = [];
        for ($i = 0; $i < $count; $i++) {
            $part = $numbers[$i];
            if ($part > 0 && $i < $pixels) {
                $numbers[$i] = $known[$part] ??= count($known) + 1;
            } else {
                $numbers[$i] = $known[$part] ?? 0;
            }
        }

        return [$numbers, array_keys($known)];
    }
}
