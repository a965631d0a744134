<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Format\Vector\FeatureSet;
use Chorometra\Core\Format\Vector\OnGrid;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\PolygonMask;

/** Places that were given an answer, as runs of pixels on a grid: single ones of points, and those inside polygons. */
final class Examples
{
    private const MOST = 20_000;

    /** @var array<string, list<array{0|1, int, int}>> points by couplet: answer, column, row */
    private array $points = [];

    /** @var array<string, list<array{0|1, PolygonMask}>> */
    private array $polygons = [];

    /** How many lie outside of the grid. */
    public int $outside = 0;

    private int $count = 0;

    private function __construct(private readonly Grid $grid) {}

    /** Those that stand in the key. */
    public static function given(KeyDocument $key, Grid $grid): self
    {
        $examples = new self($grid);
        $all = array_filter(array_map(fn (Couplet $couplet): array => $couplet->told['examples']['given'] ?? [], $key->order()));
        // most keys have none, and a CRS takes its time
        $crs = $all === [] ? null : Crs::ofGrid($grid);
        foreach ($key->order() as $couplet) {
            foreach ($couplet->told['examples']['given'] ?? [] as $one) {
                [$x, $y] = [(float) $one['at'][0], (float) $one['at'][1]];
                $at = $crs === null ? [$x, $y] : $grid->toPixel(...$crs->forward($x, $y));
                $examples->point($couplet->id, $one['answer'] === 'yes' ? 1 : 0, $at[0], $at[1]);
            }
        }

        return $examples;
    }

    /**
     * Those of a file: points and polygons with `answer` (yes or no), and `couplet` where several of the key learn.
     *
     * @throws Problem where an answer is none, or belongs to no couplet
     */
    public static function read(string $path, KeyDocument $key, Grid $grid): self
    {
        $learning = array_values(array_filter($key->order(), fn (Couplet $couplet): bool => $couplet->measure === null));
        if ($learning === []) {
            throw Problem::call('Examples are given, but no question of the key uses examples.', 'examples');
        }
        $set = Vectors::read($path);
        $ids = array_map(fn (Couplet $couplet): string => $couplet->id, $learning);
        $examples = new self($grid);
        foreach ($set->features() as $number => ['geometry' => $geometry, 'properties' => $properties]) {
            $which = $properties['couplet'] ?? (count($ids) === 1 ? $ids[0] : null);
            $answer = match ($properties['answer'] ?? $properties['class'] ?? null) {
                'yes', true, 1 => 1,
                'no', false, 0 => 0,
                default => throw Problem::input(sprintf('%s: example %d has no “answer” that is yes or no.', $set->name, $number + 1), 'examples'),
            };
            if (! in_array($which, $ids, true)) {
                $which = is_scalar($which) ? " “{$which}”" : '';
                throw Problem::input(
                    sprintf(
                        '%s: example %d is for no question%s with examples; “couplet” must be one of %s.',
                        $set->name,
                        $number + 1,
                        $which,
                        implode(', ', $ids),
                    ),
                    'examples',
                );
            }
            if (++$examples->count > self::MOST) {
                throw Problem::input("$set->name has more than ".number_format(self::MOST).' examples: use fewer.', 'examples');
            }
            $examples->geometry($set, $geometry, $which, $answer, $number + 1);
        }

        return $examples;
    }

    public function has(string $couplet): bool
    {
        return isset($this->points[$couplet]) || isset($this->polygons[$couplet]);
    }

    /**
     * Runs of pixels by answer, in rows of a window.
     *
     * @return list<array{0|1, int, int, int, bool}> answer, row, first column, the one after the last; whether they are of a point
     */
    public function runs(string $couplet, Window $window): array
    {
        $runs = [];
        foreach ($this->points[$couplet] ?? [] as [$answer, $col, $row]) {
            if ($row >= $window->row && $row < $window->row + $window->height) {
                $runs[] = [$answer, $row, $col, $col + 1, true];
            }
        }
        foreach ($this->polygons[$couplet] ?? [] as [$answer, $mask]) {
            foreach ($mask->runs($window) as $row => $some) {
                foreach ($some as [$from, $to]) {
                    $runs[] = [$answer, $window->row + $row, $from, $to, false];
                }
            }
        }

        return $runs;
    }

    private function point(string $couplet, int $answer, float $col, float $row): void
    {
        if ($col >= 0.0 && $row >= 0.0 && $col < $this->grid->width && $row < $this->grid->height) {
            $this->points[$couplet][] = [$answer === 1 ? 1 : 0, (int) $col, (int) $row];
        } else {
            $this->outside++;
        }
    }

    /** @param  array<string, mixed>|null  $geometry */
    private function geometry(FeatureSet $set, ?array $geometry, string $couplet, int $answer, int $number): void
    {
        $on = OnGrid::of($set, $geometry, $this->grid, 'examples', "example $number");
        if (! $on instanceof PolygonMask) {
            foreach ($on as [$col, $row]) {
                $this->point($couplet, $answer, $col, $row);
            }

            return;
        }
        if ($on->bounds->within($this->grid->width, $this->grid->height)->isEmpty()) {
            $this->outside++;
        } else {
            $this->polygons[$couplet][] = [$answer === 1 ? 1 : 0, $on];
        }
    }
}
