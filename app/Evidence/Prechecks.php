<?php

namespace App\Evidence;

use App\Models\Item;
use App\Models\Step;
use App\Models\Study;
use App\Steps\Inputs;
use App\Steps\Interrupted;
use App\Steps\StepQueue;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\HasPrechecks;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Step\Stage;
use Chorometra\Core\Work\Context;

/** What stands against a step as it is set up: what its kind says of the inputs, and whether they were corrected alike, which only the trail knows. */
final class Prechecks
{
    /** @return list<array{about: string, text: string}> */
    public static function of(Study $study, Step $step): array
    {
        StepQueue::check($step);
        $kind = Registry::get($step->kind);
        if (! $kind instanceof HasPrechecks) {
            return [];
        }
        $context = new Context(1, Interrupted::temporary());
        try {
            ['items' => $items, 'paths' => $paths] = Inputs::resolve($study, $step->inputs, $context->folder());
            $opened = array_map(fn (Item $item) => $item->image(), array_filter($items, fn (Item $item): bool => $item->isRaster()));
            $made = array_filter($kind->declaration()->outputs, fn ($port): bool => $port->required);
            $outputs = array_column(array_map(fn ($port): array => [$port->name, "none{$port->endings[0]}"], $made), 1, 0);
            $call = CallOpener::call($kind, $opened + $paths, $step->settings, $outputs, $context);
            $told = [...$kind->against($call), ...self::corrections($study, $step)];

            return array_map(fn (string $about, string $text): array => ['about' => $about, 'text' => $text], array_keys($told), $told);
        } finally {
            $context->clean();
        }
    }

    /** @return array<string, string> */
    private static function corrections(Study $study, Step $step): array
    {
        $told = [];
        foreach (Registry::get($step->kind)->declaration()->inputs as $port) {
            $input = $step->inputs[$port->name] ?? null;
            if ($port->type === PortType::Image && isset($input['step'])) {
                $told[$port->name] = self::corrected($study, (int) $input['step']);
            }
        }
        if (count($told) !== 2) {
            return [];
        }
        [$one, $other] = array_values($told);
        [$first, $second] = array_keys($told);
        $missing = array_filter([$first => array_diff($other, $one), $second => array_diff($one, $other)]);
        $said = [];
        foreach ($missing as $name => $titles) {
            $said[] = "“{$name}” did not go through ".implode(', ', array_map(fn (string $title): string => lcfirst($title), $titles));
        }

        return $said === [] ? [] : ['corrections' => ucfirst(implode('; ', $said)).', unlike the other date: what that step corrects will appear as change.'];
    }

    /** @return list<string> titles of the corrections that made what a step holds */
    private static function corrected(Study $study, int $id): array
    {
        $titles = [];
        $seen = [];
        $open = [$id];
        while ($open !== []) {
            $step = $study->steps->firstWhere('id', array_pop($open));
            if ($step === null || isset($seen[$step->id])) {
                continue;
            }
            $seen[$step->id] = true;
            // where a pixel lies is no matter of its value
            if ($step->declaration()->stage === Stage::Correct && ! $step->declaration()->desk->moves) {
                $titles[] = $step->declaration()->title;
            }
            array_push($open, ...array_filter(array_map(fn (array $input): ?int => $input['step'] ?? null, array_values($step->inputs))));
        }

        return array_values(array_unique($titles));
    }
}
