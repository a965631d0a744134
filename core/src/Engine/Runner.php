<?php

namespace Chorometra\Core\Engine;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Infinite;
use Chorometra\Core\Work\Memory;
use Chorometra\Core\Work\Process;
use Chorometra\Core\Work\Warnings;
use Chorometra\Core\Work\Workers;

/** Runs a kind of step. A trial, a full run, the command line and a test all come here. */
final class Runner
{
    /** Bytes that windows take, in all workers together. */
    private const ROOM = 256 << 20;

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
            $figures = $kind instanceof LocalKind ? $kind->run($call, new Execution($call)) : self::aside($kind, $call);
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

    /**
     * It may be long before it looks up: in a process of its own it can be stopped at any moment.
     *
     * @return array<string, mixed>
     */
    private static function aside(Kind $kind, Call $call): array
    {
        Memory::reserve(self::ROOM, $call->declaration->title, 'end other work first');
        $run = function (Context $context) use ($kind, $call): array {
            $own = $call->with($context);

            return $kind->run($own, new Execution($own));
        };

        return Workers::aside($call->context, $run, function (int $pid) use ($call): void {
            array_map(fn (string $path) => Files::remove("$path.$pid.part"), $call->outputs);
        });
    }
}
