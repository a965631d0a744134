<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Raster\WithNodata;
use Chorometra\Core\Raster\Wrapped;
use Chorometra\Core\Step\Call;

/** A class map of which only the pixels are left that points may be drawn from: near to or far from training areas, and from edges between classes. */
final readonly class Drawable implements Image
{
    use Wrapped;

    private RasterSpec $spec;

    /**
     * @param  float  $across  pixels that the distance from training areas reaches along columns
     * @param  float  $down  and along rows
     * @param  bool|null  $near  only what lies near training areas; null for anywhere
     * @param  bool|null  $edges  only what lies along edges; null for anywhere
     */
    private function __construct(
        private Image $image,
        private ?PolygonMask $training,
        private float $across,
        private float $down,
        private ?bool $near,
        private ?bool $edges,
        private int $reach,
        private int $out,
    ) {
        $this->spec = $image->spec();
    }

    /**
     * The map itself where points may be drawn anywhere.
     *
     * @throws Problem where the map has no georeference
     */
    public static function of(Call $call, Image $map): Image
    {
        if ($call->isOn('unlabelled')) {
            // what may not be drawn is neither a class nor unlabelled then
            $map = WithNodata::of($map, $call->context);
        }
        $out = $call->isOn('unlabelled') ? $map->spec()->nodataCode() : 0;
        $edges = match ($call->text('edges')) {
            'along' => true,
            'away' => false,
            default => null,
        };
        if (! $call->hasInput('training')) {
            return $edges === null ? $map : new self($map, null, 0.0, 0.0, null, $edges, $call->whole('edge-distance'), $out);
        }
        $grid = $map->spec()->grid;
        $ground = Ground::of($grid) ?? throw Problem::input("{$map->name()} has no georeference.", 'map');
        $distance = $call->number('training-distance');
        [$wide, $high] = $ground->steps();
        $training = new PolygonMask(Vectors::read($call->path('training'))->polygonsOn($grid, 'training'), $grid);

        $isAlong = $call->text('from-training') === 'along';

        return new self($map, $training, $distance / $wide, $distance / $high, $isAlong, $edges, $call->whole('edge-distance'), $out);
    }

    public function levels(): array
    {
        return array_slice($this->image->levels(), 0, 1);
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        $type = $this->spec->type;
        $codes = Values::codes($this->image, $window, $band);
        $count = count($codes);
        if ($this->training !== null) {
            $codes = self::cut($codes, $this->around($window), (bool) $this->near, $count, $this->out);
        }
        if ($this->edges !== null) {
            $codes = self::cut($codes, $this->alongEdges($band, $window), $this->edges, $count, $this->out);
        }

        return Codec::encodeCodes($codes, $type);
    }

    /**
     * $out, which is never drawn, wherever the mark is not the one that is wanted.
     *
     * @param  list<int>  $codes
     * @param  list<int>  $marks  1 or 0
     * @return list<int>
     */
    private static function cut(array $codes, array $marks, bool $wanted, int $count, int $out): array
    {
        $mark = $wanted ? 1 : 0;
        for ($i = 0; $i < $count; $i++) {
            if ($marks[$i] !== $mark) {
                $codes[$i] = $out;
            }
        }

        return $codes;
    }

    /**
     * Which pixels of a window have their centre within the distance of a pixel of a training area.
     *
     * @return list<int> 1 or 0
     */
    private function around(Window $window): array
    {
        $reach = (int) ceil($this->down);
        $marks = array_fill(0, $window->pixels(), 0);
        // runs that begin beside the window reach into it
        $wide = (int) ceil($this->across);
        $seen = new Window($window->col - $wide, $window->row - $reach, $window->width + 2 * $wide, $window->height + 2 * $reach);
        foreach ($this->training?->runs($seen) ?? [] as $k => $runs) {
            if ($runs === []) {
                continue;
            }
            for ($row = max(0, $k - 2 * $reach); $row <= min($window->height - 1, $k); $row++) {
                $by = $this->down > 0.0 ? ($row + $reach - $k) / $this->down : 0.0;
                if (abs($by) > 1.0) {
                    continue;
                }
                $half = $this->across * sqrt(1.0 - $by * $by);
                foreach ($runs as [$from, $to]) {
                    $first = max(0, (int) ceil($from - $wide - $half));
                    $last = min($window->width - 1, (int) floor($to - 1 - $wide + $half));
                    for ($col = $first, $at = $row * $window->width; $col <= $last; $col++) {
                        $marks[$at + $col] = 1;
                    }
                }
            }
        }

        return array_values($marks);
    }

    /**
     * Which pixels of a window have one of another class within the reach, each way; unlabelled ones and nodata make no edge.
     *
     * @return list<int> 1 or 0
     */
    private function alongEdges(int $band, Window $window): array
    {
        $grid = $this->spec->grid;
        $seen = (new Window($window->col - $this->reach, $window->row - $this->reach, $window->width + 2 * $this->reach, $window->height + 2 * $this->reach))
            ->within($grid->width, $grid->height);
        $codes = Values::codes($this->image, $seen, $band);
        [$least, $greatest] = self::bounds($codes, $this->spec->nodataCode(), count($codes));
        [$least, $greatest] = self::reached($least, $greatest, $seen->width, $seen->height, 1, $seen->width, $this->reach);
        [$least, $greatest] = self::reached($least, $greatest, $seen->height, $seen->width, $seen->width, 1, $this->reach);
        $marks = [];
        for ($row = 0; $row < $window->height; $row++) {
            $at = ($row + $window->row - $seen->row) * $seen->width + $window->col - $seen->col;
            for ($col = 0; $col < $window->width; $col++) {
                $marks[] = $least[$at + $col] < $greatest[$at + $col] ? 1 : 0;
            }
        }

        return $marks;
    }

    /**
     * The code of a pixel as the least and the greatest there is; nothing where it has no class.
     *
     * @param  list<int>  $codes
     * @return array{list<int>, list<int>}
     */
    private static function bounds(array $codes, int $nodata, int $count): array
    {
        $least = $codes;
        for ($i = 0; $i < $count; $i++) {
            if ($codes[$i] === 0 || $codes[$i] === $nodata) {
                $least[$i] = 1 << 20;
                $codes[$i] = -1;
            }
        }

        return [$least, $codes];
    }

    /**
     * The least and the greatest within $reach along lines: $length pixels $step apart, $lines of them $stride apart.
     *
     * @param  list<int>  $least
     * @param  list<int>  $greatest
     * @return array{list<int>, list<int>}
     */
    private static function reached(array $least, array $greatest, int $length, int $lines, int $step, int $stride, int $reach): array
    {
        $low = $least;
        $high = $greatest;
        for ($line = 0; $line < $lines; $line++) {
            $start = $line * $stride;
            for ($k = 0; $k < $length; $k++) {
                $at = $start + $k * $step;
                $from = $k > $reach ? $at - $reach * $step : $start;
                $to = $k + $reach < $length ? $at + $reach * $step : $start + ($length - 1) * $step;
                $a = $least[$at];
                $b = $greatest[$at];
                for ($j = $from; $j <= $to; $j += $step) {
                    if ($least[$j] < $a) {
                        $a = $least[$j];
                    }
                    if ($greatest[$j] > $b) {
                        $b = $greatest[$j];
                    }
                }
                $low[$at] = $a;
                $high[$at] = $b;
            }
        }

        return [$low, $high];
    }
}
