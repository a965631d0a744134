<?php

namespace Chorometra\Core\Engine;

use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Memory;

/** The work on one call: over images by passes, to rasters by productions. */
final readonly class Execution implements Work
{
    /** Bands' worth of arrays that are taken where what lies around each pixel is looked at. */
    private const AROUND = 5;

    public function __construct(private Call $call) {}

    public function part(float $from, float $to): self
    {
        return new self($this->call->with($this->call->context->part($from, $to)));
    }

    public function reserve(int $bytes, string $advice = 'work on a part of the image'): void
    {
        Memory::reserve($bytes, $this->call->declaration->title, $advice);
    }

    public function gather(array $readings, \Closure $find, \Closure $merge, int $halo = 0): mixed
    {
        OneGrid::check(array_column($readings, 'image'));
        $grid = $readings[0]->image->spec()->grid;
        $found = [];
        $bands = array_sum(array_map(fn (Reading $reading): int => count($reading->bands), $readings));
        (new Pass($grid, $bands))->gather(
            $this->call->context,
            'gathering statistics',
            function (Window $window) use ($readings, $grid, $halo, $find): mixed {
                $rows = RowBlock::around($window, $grid->height, $halo);

                return $find(Reading::all($readings, $rows), $rows);
            },
            function (mixed $answer) use (&$found, $merge): void {
                $found = [$found === [] ? $answer : $merge($found[0], $answer)];
            },
        );

        return $found[0];
    }

    public function make(array $specs, \Closure $compute, int $values = 1): array
    {
        return $this->produce($specs, $compute, $values);
    }

    public function carryOut(Plan $plan): array
    {
        $height = $plan->sources[0]->image->spec()->grid->height;
        $compute = function (Window $window) use ($plan, $height): array {
            $rows = RowBlock::around($window, $height, $plan->halo);

            return ($plan->compute)(Reading::all($plan->sources, $rows), $rows);
        };

        return $plan->figures + $this->produce($plan->outputs, $compute, self::room($plan->sources, $plan->halo), $plan->deflate, $plan->stored);
    }

    /** @param  list<Reading>  $readings */
    private static function room(array $readings, int $halo): int
    {
        return array_sum(array_map(fn (Reading $reading): int => $reading->room(), $readings)) + ($halo > 0 ? self::AROUND : 0);
    }

    /**
     * @param  array<string, RasterSpec>  $specs
     * @param  \Closure(Window): array<string, list<list<float>|list<int>|string>>  $compute
     * @param  \Closure(int, int, int): ?string|null  $stored
     * @return array<string, mixed>
     */
    private function produce(array $specs, \Closure $compute, int $values, bool $deflate = true, ?\Closure $stored = null): array
    {
        $outputs = $this->call->asked($specs);
        $asked = fn (Window $window): array => array_intersect_key($compute($window), $outputs);

        return (new Production($outputs, $asked, $this->call->context, $values, $deflate, $stored))
            ->run($this->call->provenance(), $this->call->declaration->title);
    }
}
