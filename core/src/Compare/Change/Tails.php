<?php

namespace Chorometra\Core\Compare\Change;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Stats\Quantiles;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;

/** From where on a change counts: a limit below, one above, or both. */
final readonly class Tails
{
    /** Codes of the map. */
    public const LESS = 1;

    public const SAME = 2;

    public const MORE = 3;

    private function __construct(public ?float $below, public ?float $above) {}

    /**
     * @param  bool  $both  whether there are limits on both sides, or only one above
     * @return list<Setting>
     */
    public static function settings(bool $both = true): array
    {
        $beyond = 'limits=deviations|percentiles|values';

        return array_values(array_filter([
            Setting::choice('limits', ['none', 'deviations', 'percentiles', 'values'], 'none', 'Unit of the limits of change.', [
                'none' => 'no limits, no change map',
                'deviations' => 'standard deviations from the centre, such as −2 and 2',
                'percentiles' => 'percentiles of all pixels, such as 2.5 and 97.5',
                'values' => 'values of the difference',
            ]),
            $both ? Setting::number('below', null, 'Lower limit; values below it are a decrease. Empty: none.')->onlyFor($beyond) : null,
            Setting::number('above', null, $both ? 'Upper limit; values above it are an increase. Empty: none.' : 'Magnitude above which a pixel has '
                .'changed.')->onlyFor($beyond),
        ]));
    }

    public static function areWanted(Call $call): bool
    {
        return $call->text('limits') !== 'none' && $call->text('limits') !== '';
    }

    /** @throws Problem where the settings make no sense, before any work */
    public static function check(Call $call): void
    {
        if (! self::areWanted($call)) {
            return;
        }
        [$below, $above] = [$call->number('below'), $call->number('above')];
        if (is_nan($below) && is_nan($above)) {
            throw Problem::call('Set a limit beyond which a pixel counts as changed, or choose no limits.', 'above');
        }
        if ($below > $above) {
            throw Problem::call("The lower limit, $below, is above the upper limit, $above.", 'below');
        }
        foreach (['below' => $below, 'above' => $above] as $name => $value) {
            if ($call->text('limits') === 'percentiles' && ($value < 0 || $value > 100)) {
                throw Problem::call("The setting $name is $value; as a share of all pixels it must be between 0 and 100 %.", $name);
            }
        }
    }

    /**
     * @param  \Closure(): array{float, float}  $spread  middle and deviation, where they are asked for
     * @param  \Closure(int): iterable<list<list<float>>>  $values  of a strip, in pieces, of the one band
     */
    public static function of(Call $call, \Closure $spread, int $strips, int $pixels, \Closure $values, Context $context): self
    {
        self::check($call);
        $told = array_map(fn (float $value): ?float => is_nan($value) ? null : $value, [$call->number('below'), $call->number('above')]);
        if ($call->text('limits') === 'values') {
            return new self(...$told);
        }
        if ($call->text('limits') === 'deviations') {
            [$middle, $deviation] = $spread();

            return new self(...array_map(fn (?float $value): ?float => $value === null ? null : $middle + $value * $deviation, $told));
        }
        $shares = array_filter($told, fn (?float $value): bool => $value !== null);
        $found = Quantiles::of($strips, $pixels, $values, array_map(fn (float $value): float => $value / 100, array_values($shares)), $context)[0];
        $limits = array_combine(array_keys($shares), $found);

        return new self($limits[0] ?? null, $limits[1] ?? null);
    }

    /** @param  array<string, mixed>  $properties */
    public function map(Grid $grid, string $label, array $properties): RasterSpec
    {
        return RasterSpec::classes($grid, new Legend(array_filter([
            self::LESS => $this->below === null ? null : ['name' => "less $label", 'colour' => '#7a3b69'],
            self::SAME => ['name' => 'unchanged', 'colour' => '#d5d2c8'],
            self::MORE => $this->above === null ? null : ['name' => "more $label", 'colour' => '#2f7a4d'],
        ])), $properties);
    }

    /**
     * Codes of $count values.
     *
     * @param  list<float>  $values
     * @return list<int>
     */
    public function codes(array $values, int $count, int $nodata): array
    {
        return self::coded($values, $count, $this->below ?? -INF, $this->above ?? INF, $nodata);
    }

    /**
     * @param  list<float>  $values
     * @return list<int>
     */
    private static function coded(array $values, int $count, float $below, float $above, int $nodata): array
    {
        $codes = array_fill(0, $count, 0);
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            $codes[$i] = $value < $below ? 1 : ($value > $above ? 3 : ($value === $value ? 2 : $nodata));
        }

        return $codes;
    }
}
