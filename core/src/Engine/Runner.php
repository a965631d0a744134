<?php

namespace Chorometra\Core\Engine;

use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Computed;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\LearningKind;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\WholeKind;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Infinite;
use Chorometra\Core\Work\Memory;
use Chorometra\Core\Work\Process;
use Chorometra\Core\Work\Warnings;
use Chorometra\Core\Work\Workers;

/** Runs a kind of step, whatever its shape. A trial, a full run, the command line and a test all come here. */
final class Runner
{
    /** Bands' worth of arrays that are taken beside input and output. */
    private const WORKING = 5;

    /** @return array<string, mixed> the step's figures */
    public static function run(Kind $kind, Call $call): array
    {
        return Warnings::asProblems(fn (): array => self::made($kind, $call));
    }

    /** @return array<string, mixed> */
    private static function made(Kind $kind, Call $call): array
    {
        $start = hrtime(true);
        $before = Infinite::seen();
        foreach ($call->outputs as $path) {
            Process::sweep("$path.*.part");
        }
        // outputs of any shape stand ready beside their places, and take them together when the last is whole
        $stages = array_map(fn (string $path): string => "$path.".getmypid().'.part', $call->outputs);
        $places = $call->outputs;
        $call = $call->writing(array_values(array_map(fn (string $path, string $stage): string => "$stage/".basename($path), $places, $stages)));
        try {
            $figures = match (true) {
                $kind instanceof LocalKind => self::local($call, $kind->plan($call)),
                $kind instanceof LearningKind => self::local(
                    $call->with($call->context->part(0.4, 1.0)),
                    $kind->plan($call, self::learn($kind, $call->learning()->with($call->context->part(0.0, 0.4)))),
                ),
                $kind instanceof WholeKind => self::whole($kind, $call),
                default => throw new \LogicException($kind->declaration()->id.' has no shape.'),
            };
            foreach ($stages as $name => $stage) {
                if (is_dir($stage)) {
                    Files::moveFolder($stage, dirname($places[$name]));
                }
            }
        } finally {
            array_map(Files::remove(...), $stages);
            $call->context->clean();
        }

        if (Infinite::seen() > $before) {
            $figures += ['infinitePixels' => self::infinite($kind, $call)];
        }

        return $figures + ['seconds' => round((hrtime(true) - $start) / 1e9, 3), 'memory' => $call->context->memory()];
    }

    /**
     * Samples of the inputs that are infinite, each counted once, however often they were read.
     *
     * @return int|string the number, or a word where the inputs are no rasters that are open here
     */
    private static function infinite(Kind $kind, Call $call): int|string
    {
        $images = array_filter($call->inputs, fn (Image|string $input): bool => $input instanceof Image);
        if ($images === [] && $kind instanceof LocalKind) {
            $images = array_map(fn (Reading $source): Image => $source->image, $kind->plan($call)->sources);
        }
        $before = Infinite::seen();
        foreach ($images as $image) {
            $spec = $image->spec();
            $grid = $spec->grid;
            for ($row = 0; $spec->type->isFloat() && $row < $grid->height; $row += $grid->strip()) {
                foreach (array_keys($spec->bands) as $band) {
                    Values::of($image, $band, new Window(0, $row, $grid->width, min($grid->strip(), $grid->height - $row)));
                }
            }
        }

        return Infinite::seen() > $before ? Infinite::seen() - $before : 'some';
    }

    /** @return array<string, mixed> */
    private static function local(Call $call, Plan $plan): array
    {
        $outputs = [];
        foreach ($plan->outputs as $name => $spec) {
            if (isset($call->outputs[$name])) {
                $outputs[$name] = ['path' => $call->outputs[$name], 'spec' => $spec];
            }
        }
        // an image that is computed has arrays of its own at hand, and so has what looks around each pixel
        $bands =
            array_sum(array_map(fn (Reading $source): int => count($source->bands) + ($source->image instanceof Computed ? self::WORKING : 0),
                $plan->sources)) +
            ($plan->halo > 0 ? self::WORKING : 0);
        $height = $plan->sources[0]->image->spec()->grid->height;
        $production = new Production(
            $outputs,
            function (Window $window) use ($plan, $height, $outputs): array {
                $rows = RowBlock::around($window, $height, $plan->halo);

                return array_intersect_key(($plan->compute)(self::read($plan->sources, $rows), $rows), $outputs);
            }, $call->context, $bands, $plan->deflate, $plan->stored);

        return $plan->figures + $production->run($call->provenance(), $call->declaration->title);
    }

    /** @return array<mixed> */
    private static function learn(LearningKind $kind, Call $call): array
    {
        $sources = $kind->study($call);
        if ($sources === []) {
            return [];
        }
        OneGrid::check(array_column($sources, 'image'));
        $grid = $sources[0]->image->spec()->grid;
        $bands = array_sum(array_map(fn (Reading $source): int => count($source->bands), $sources));
        $halo = max(array_map(fn (Reading $source): int => $source->halo, $sources));
        $learnt = null;
        (new Pass($grid, $bands))->gather($call->context, 'gathering statistics', function (Window $window) use ($kind, $call, $sources, $grid, $halo): array {
            $rows = RowBlock::around($window, $grid->height, $halo);

            return $kind->learn($call, self::read($sources, $rows), $rows);
        }, function (array $answer) use ($kind, &$learnt): void {
            $learnt = $learnt === null ? $answer : $kind->merge($learnt, $answer);
        });

        return $learnt ?? [];
    }

    /** @return array<string, mixed> */
    private static function whole(WholeKind $kind, Call $call): array
    {
        Memory::reserve($kind->memory($call), $call->declaration->title, 'work on a part of the image');

        // it may be long before the next look up: it can be stopped at any moment in a process of its own
        return Workers::aside($call->context, fn (Context $context): array => $kind->compute($call->with($context)), function (int $pid) use ($call): void {
            array_map(fn (string $path) => Files::remove("$path.$pid.part"), $call->outputs);
        });
    }

    /**
     * @param  list<Reading>  $sources
     * @return list<list<float>|list<int>>
     */
    private static function read(array $sources, RowBlock $rows): array
    {
        $window = new Window(0, $rows->first - $rows->above, $rows->width, $rows->above + $rows->rows + $rows->below);
        $bands = [];
        foreach ($sources as $source) {
            $spec = $source->image->spec();
            foreach ($source->bands as $place => $band) {
                [$gain, $offset] = $source->lines[$place] ?? [1.0, 0.0];
                if ($source->image instanceof Computed && ! $source->codes) {
                    $values = $source->image->values($band, $window);
                    $bands[] = $gain === 1.0 && $offset === 0.0 ? $values : Codec::linear($values, count($values), $gain, $offset);

                    continue;
                }
                $bytes = $source->image->read($band, $window);
                if (isset($source->tables[$place])) {
                    $bands[] = Codec::looked($bytes, $spec->type, $source->tables[$place]);

                    continue;
                }
                $bands[] = $source->codes ? Codec::codes($bytes, $spec->type) : Codec::values($bytes, $spec->type, $spec->nodata, $gain, $offset);
            }
        }

        return $bands;
    }
}
