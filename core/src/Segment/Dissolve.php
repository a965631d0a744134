<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Regions\Numbers\Neighbours;
use Chorometra\Core\Regions\Numbers\Renumbered;
use Chorometra\Core\Regions\Numbers\Together;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\WholeKind;
use Chorometra\Core\Work\Workers;

/** Neighbouring segments of one class become one. */
final class Dissolve implements WholeKind
{
    private const ROWS = 256;

    public function declaration(): Declaration
    {
        return new Declaration(
            'segment.dissolve',
            'Dissolve by class',
            'Joins neighbouring segments that are of one class in a map.',
            [
                new Port('segments', PortType::Segments, 'The segments.'),
                new Port('classes', PortType::Classes, 'A class map on the same grid; a segment is of the class that it has most of.'),
            ],
            [],
            [new Port('segments', PortType::Segments, 'The segments, joined; what has no class stays as it is.')],
            'Connected components of a graph: Hopcroft & Tarjan 1973, Communications of the ACM 16:372–378 (from memory).',
            figures: [
                Figure::number('segments', 'segments'),
                Figure::number('before', 'segments before'),
                Figure::number('unclassed', 'without a class'),
            ],
            desk: new Desk(5, evidence: [new Evidence('shading')]),
        );
    }

    public function memory(Call $call): int
    {
        return (256 << 20) + 64 * self::ROWS * $call->image('segments')->spec()->grid->width;
    }

    public function compute(Call $call): array
    {
        [$segments, $map] = [$call->image('segments'), $call->image('classes')];
        Plan::sameGrid([new Reading($segments, [0]), new Reading($map, [0])]);
        [$classes, $most] = $this->classes($call, $segments, $map);
        $together = new Together($most);
        Neighbours::each($segments, $call->context->part(0.4, 0.7), function (int $one, int $other) use ($together, $classes): void {
            if (isset($classes[$one], $classes[$other]) && $classes[$one] === $classes[$other]) {
                $together->join($one, $other);
            }
        });
        $numbers = $together->numbers();

        return Renumbered::write($call, $segments, $numbers, $call->context->part(0.7, 1.0)) + [
            'before' => $most,
            'unclassed' => $most - count($classes),
        ];
    }

    /** @return array{array<int, int>, int} the class that each segment has most of, of those alike the lowest code; and the greatest number */
    private function classes(Call $call, Image $segments, Image $map): array
    {
        $grid = $segments->spec()->grid;
        $nodata = $map->spec()->nodata;
        $counts = [];
        $most = 0;
        Workers::run(
            intdiv($grid->height + self::ROWS - 1, self::ROWS),
            $call->context->part(0.0, 0.4),
            'looking for classes',
            function (int $block) use ($segments, $map, $grid, $nodata): array {
                $window = new Window(0, $block * self::ROWS, $grid->width, min(self::ROWS, $grid->height - $block * self::ROWS));
                $labels = Codec::codes($segments->read(0, $window), $segments->spec()->type);
                $codes = Codec::codes($map->read(0, $window), $map->spec()->type);

                return [self::count($labels, $codes, count($labels), $nodata === null ? -1 : (int) $nodata), max($labels)];
            },
            function (int $block, mixed $found) use (&$counts, &$most): void {
                $most = max($most, $found[1]);
                foreach ($found[0] as $key => $count) {
                    $counts[$key] = ($counts[$key] ?? 0) + $count;
                }
            },
        );
        $classes = $best = [];
        ksort($counts);
        foreach ($counts as $key => $count) {
            [$label, $code] = [$key >> 16, $key & 0xFFFF];
            if ($count > ($best[$label] ?? 0)) {
                $best[$label] = $count;
                $classes[$label] = $code;
            }
        }

        return [$classes, $most];
    }

    /**
     * Pixels by segment and class.
     *
     * @param  list<int>  $labels
     * @param  list<int>  $codes
     * @return array<int, int> by number of the segment times 65,536, and code
     */
    private static function count(array $labels, array $codes, int $count, int $nodata): array
    {
        $counts = [];
        for ($i = 0; $i < $count; $i++) {
            if ($labels[$i] > 0 && $codes[$i] !== $nodata) {
                $key = $labels[$i] << 16 | $codes[$i];
                $counts[$key] = ($counts[$key] ?? 0) + 1;
            }
        }

        return $counts;
    }
}
