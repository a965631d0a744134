<?php

namespace App\Steps;

use App\Models\Drawing;
use App\Models\Item;
use App\Models\Key;
use App\Models\Step;
use App\Models\Study;
use App\Studies\Drawn;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;

/** What a step's inputs point to: outputs of other steps, uploaded files, the demo's bundles, what was drawn. */
final class Inputs
{
    /**
     * Paths by input, the items among them, and what stood at each: ids of items, stamps of drawings.
     *
     * @param  array<string, array{step?: int, output?: string, upload?: string, demo?: string, drawing?: int, key?: int}>  $inputs
     * @return array{paths: array<string, string>, items: array<string, Item>, used: array<string, int>}
     */
    public static function resolve(Study $study, array $inputs, string $temporary): array
    {
        $paths = [];
        $items = [];
        $used = [];
        foreach ($inputs as $name => $input) {
            if (isset($input['upload'])) {
                $paths[$name] = self::upload($study, $input['upload'], $name);
            } elseif (isset($input['demo'])) {
                $paths[$name] = self::demo($input['demo'], $name);
            } elseif (isset($input['key'])) {
                $key = self::key($study, $input['key'], $name);
                $paths[$name] = "$temporary/$name.json";
                $used[$name] = $key->stamp;
                Document::write($paths[$name], $key->document);
            } else {
                $item = isset($input['drawing']) ? null : self::item($study, $input, $name);
                // check points are read as they are labelled now
                $drawing =
                    $item === null ? self::drawing($study, (int) ($input['drawing'] ?? 0), $name) : ($item->type === 'points' ? $item->step?->drawing() : null);
                if ($drawing !== null) {
                    $paths[$name] = "$temporary/$name.geojson";
                    $used[$name] = Drawn::write($drawing, $paths[$name]);
                } elseif ($item !== null) {
                    [$paths[$name], $items[$name], $used[$name]] = [$item->path, $item, $item->id];
                }
            }
        }

        return ['paths' => $paths, 'items' => $items, 'used' => $used];
    }

    /**
     * Says what is wrong with an input before a step is set up: what it points to has to be there, must not hang on the step itself, and
     * fit the port. A step that has not run yet may be pointed to.
     *
     * @param  array{step?: int, output?: string, upload?: string, demo?: string, drawing?: int, key?: int}  $input
     */
    public static function check(Study $study, Step $step, Port $port, string $name, array $input): void
    {
        if (isset($input['upload'])) {
            self::upload($study, $input['upload'], $name);
        } elseif (isset($input['demo'])) {
            self::demo($input['demo'], $name);
        } elseif (isset($input['drawing'])) {
            self::drawing($study, $input['drawing'], $name);
        } elseif (isset($input['key'])) {
            self::key($study, $input['key'], $name);
        } else {
            $from =
                $study
                    ->steps()
                    ->whereKey($input['step'] ?? 0)
                    ->first() ?? throw Problem::call("The input $name is missing: choose what to work on.", $name);
            if ($step->exists && ($from->id === $step->id || self::hangsOn($study, $from, $step->id))) {
                throw Problem::call(
                    $from->id === $step->id
                        ? "Step {$step->number} can't use its own result: choose another input $name."
                        : "Step {$from->number} uses the result of step {$step->number}, so it can't be its input $name: choose another.",
                    $name,
                );
            }
            self::fits($from, $port, $name, $input['output'] ?? 'result');
        }
    }

    private static function fits(Step $from, Port $port, string $name, string $output): void
    {
        $item = $from->items()->where('output', $output)->latest('id')->first();
        if ($item !== null && $item->isRaster() && $port->type->isRaster() && is_file($item->path)) {
            CallOpener::fitting($item->image(), $port, $name);

            return;
        }
        $type = $item === null ? $from->declaration()->output($output)?->type : PortType::tryFrom($item->type);
        $declared = $from->declaration();
        if ($type === null && $item === null && array_filter($declared->outputs, fn (Port $one): bool => $one->type === PortType::Folder) === []) {
            throw Problem::call("Step {$from->number} makes no “{$output}”: choose another input $name.", $name);
        }
        if ($type !== null && $type !== PortType::Folder && ! $port->type->takes($type)) {
            throw Problem::call("Step {$from->number} makes {$type->words()}, and the input $name needs {$port->type->words()}: {$port->help}", $name);
        }
    }

    /** Whether a step works, by way of others, on what a step makes. */
    private static function hangsOn(Study $study, Step $from, int $on): bool
    {
        $steps = $study->steps()->get()->keyBy('id');
        for ($todo = [$from->id], $seen = []; $todo !== [];) {
            $id = array_pop($todo);
            if ($id === $on) {
                return true;
            }
            if (! isset($seen[$id])) {
                $seen[$id] = true;
                array_push($todo, ...array_filter(array_column($steps->get($id)->inputs ?? [], 'step')));
            }
        }

        return false;
    }

    /** @param  array{step?: int, output?: string, upload?: string, demo?: string, drawing?: int, key?: int}  $input */
    public static function item(Study $study, array $input, string $name): Item
    {
        $step = $study->steps()->whereKey($input['step'] ?? 0)->first();
        $item = $step?->items()->where('output', $input['output'] ?? 'result')->latest('id')->first();
        if ($item === null) {
            throw Problem::call(
                $step === null ? "The input $name is missing: choose what to work on." : "Step {$step->number} has no result yet: run it first.",
                $name,
            );
        }
        if (! is_file($item->path)) {
            throw Problem::input("The file of step {$step->number} is missing: run that step again.", $name);
        }

        return $item;
    }

    /**
     * The file that one input points to: what a step made, or what was uploaded.
     *
     * @param  array{step?: int, output?: string, upload?: string}  $input
     */
    public static function file(Study $study, array $input, string $name): string
    {
        return isset($input['upload']) ? self::upload($study, $input['upload'], $name) : self::item($study, $input, $name)->path;
    }

    private static function key(Study $study, int $id, string $name): Key
    {
        return $study->keys()->whereKey($id)->first() ?? throw Problem::call("The key of the input $name no longer exists: choose another.", $name);
    }

    private static function drawing(Study $study, int $id, string $name): Drawing
    {
        $drawing =
            $study->drawings()->whereKey($id)->first() ?? throw Problem::call("The drawing of the input $name no longer exists: choose another.", $name);
        if ($drawing->stamp === 0) {
            throw Problem::call(
                $drawing->name === Drawing::AREA ? 'The study has no area: draw one first.' : "“{$drawing->name}” is empty: draw in it first.",
                $name,
            );
        }

        return $drawing;
    }

    private static function upload(Study $study, string $upload, string $name): string
    {
        $path = preg_match('~^[0-9a-f]{16}/[^/\0]+$~', $upload) ? $study->folder()."/uploads/$upload" : '';
        if ($path === '' || ! is_file($path)) {
            throw Problem::input('The uploaded file no longer exists: choose it again.', $name);
        }

        return $path;
    }

    private static function demo(string $bundle, string $name): string
    {
        $path = config()->string('chorometra.demo').'/'.basename($bundle);
        if (! is_file($path)) {
            throw Problem::input('The demo bundle is missing: start with bin/start, which makes it.', $name);
        }

        return $path;
    }
}
