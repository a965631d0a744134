<?php

namespace Chorometra\Core\Classify\Maps;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\ClassColours;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;

/** Which classes of a map become which of another: a line for each, “water = deep water, shallow water”. */
final readonly class Recoding
{
    /**
     * @param  array<int, int>  $codes  new ones by old
     * @param  array<int, list<string>>  $from  names of the old ones by new code
     */
    private function __construct(public Legend $legend, public array $codes, private array $from) {}

    /** @throws Problem about the setting `lines`, with the line */
    public static function of(Image $map, string $text, bool $keepsOthers): self
    {
        $old = $map->spec()->legend ?? new Legend([]);
        $classes = $codes = $from = [];
        foreach (preg_split('/[\n;]/', $text) ?: [] as $number => $line) {
            if (trim($line) === '') {
                continue;
            }
            $at = ['line' => $number + 1, 'character' => 1];
            $problem = fn (string $sentence): Problem => new Problem("Line {$at['line']}: $sentence", 2, 'lines', $at);
            if (! preg_match('/^\s*([^=#]+?)\s*(#[0-9a-fA-F]{6})?\s*=\s*(.+?)\s*$/u', $line, $match)) {
                throw $problem('write “new name = old class, old class”.');
            }
            [, $name, $colour, $names] = $match;
            if (in_array($name, array_column($classes, 'name'), true)) {
                throw $problem("a class is named “{$name}” already: list all its old classes in one line.");
            }
            $code = count($classes) + 1;
            foreach (array_map(trim(...), explode(',', $names)) as $one) {
                try {
                    $of = ClassCodes::one($map, $one, 'lines');
                } catch (Problem $unknown) {
                    throw $problem(lcfirst($unknown->getMessage()));
                }
                if (isset($codes[$of])) {
                    throw $problem("“{$one}” is in another line already.");
                }
                $codes[$of] = $code;
                $from[$code][] = $old->name($of);
                $colour = $colour !== '' ? strtolower($colour) : $old->classes[$of]['colour'] ?? '';
            }
            $classes[$code] = ['name' => $name, 'colour' => $colour !== '' ? $colour : ClassColours::of([$name])[0]];
        }
        if ($classes === []) {
            throw Problem::call('Give at least one line, such as “water = deep water, shallow water”.', 'lines');
        }
        foreach ($keepsOthers ? $old->classes : [] as $code => $class) {
            if (! isset($codes[$code])) {
                if (in_array($class['name'], array_column($classes, 'name'), true)) {
                    throw Problem::call("The class “{$class['name']}” is kept and a line makes another of that name: include it in that line.", 'lines');
                }
                $codes[$code] = count($classes) + 1;
                $from[$codes[$code]] = [$class['name']];
                $classes[$codes[$code]] = $class;
            }
        }

        return new self(new Legend($classes), $codes, $from);
    }

    /** @return list<array{class: string, code: int, from: string}> */
    public function rows(): array
    {
        return array_map(
            fn (int $code): array => ['class' => $this->legend->name($code), 'code' => $code, 'from' => implode(', ', $this->from[$code])],
            $this->legend->codes(),
        );
    }
}
