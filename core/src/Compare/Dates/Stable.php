<?php

namespace Chorometra\Core\Compare\Dates;

use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Work\Context;

/** Where nothing should have changed. */
final readonly class Stable
{
    private function __construct(private PolygonMask $mask) {}

    /** The areas of the input `stable`; null where it is not given. */
    public static function of(Call $call, Grid $grid): ?self
    {
        return $call->hasInput('stable') ? new self(new PolygonMask(Vectors::read($call->path('stable'))->polygonsOn($grid, 'stable'), $grid)) : null;
    }

    /** @return list<Figure> */
    public static function figures(): array
    {
        return [
            Figure::table('stable', 'change in the stable area', [
                'what' => null, 'pixels' => null, 'mean' => null, 'deviation' => null, 'beyond limits' => '%',
            ]),
        ];
    }

    /**
     * What is found there.
     *
     * @param  list<string>  $labels  of bands
     * @param  \Closure(Window): list<list<float>>  $values  of each band in a window
     * @param  \Closure(list<float>): int|null  $beyond  how many of the last band's values count as changed
     * @return list<array<string, mixed>>
     */
    public function rows(TwoDates $dates, array $labels, \Closure $values, ?\Closure $beyond, Context $context): array
    {
        $parts = $dates->pass()->all($context, 'looking where nothing changed', function (Window $window) use ($values, $beyond): array {
            $kept = array_map(fn (array $band): array => $this->kept($band, $window), $values($window));

            return [array_map(Moments::of(...), $kept), $beyond === null ? 0 : $beyond($kept[count($kept) - 1])];
        });
        $rows = [];
        $changed = array_sum(array_column($parts, 1));
        foreach ($labels as $band => $label) {
            $moments = array_reduce($parts, fn (Moments $sum, array $part): Moments => $sum->merge($part[0][$band]), new Moments);
            $rows[] = [
                'what' => $label,
                'pixels' => $moments->count,
                'mean' => $moments->count > 0 ? $moments->mean : null,
                'deviation' => $moments->count > 1 ? sqrt($moments->squares / ($moments->count - 1)) : null,
            ] + ($beyond === null || $band < count($labels) - 1 ? [] : ['beyond limits' => $moments->count > 0 ? $changed / $moments->count : null]);
        }

        return $rows;
    }

    /**
     * Values of a window, NaN wherever change was to be expected.
     *
     * @param  list<float>  $values
     * @return list<float>
     */
    private function kept(array $values, Window $window): array
    {
        return array_values($this->mask->cut($values, $window, NAN));
    }
}
