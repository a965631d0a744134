<?php

namespace Chorometra\Core\Compare\Maps;

use Chorometra\Core\Geo\Ground;

/**
 * What became of each class: a matrix of pixels and hectares from one map to another, and gains, losses, swap and net change that follow from it.
 *
 * Source: Pontius, Shusas & McEachern 2004, Agriculture, Ecosystems & Environment 101:251–268 (from memory).
 */
final readonly class Flows
{
    /**
     * @param  list<array{name: string, colour: string}>  $classes
     * @param  array<int, int>  $pixels  by place of the class before times the number of classes, plus that of the class after
     * @param  array<int, float>|null  $hectares
     */
    private function __construct(private array $classes, public array $pixels, private ?array $hectares) {}

    /**
     * @param  list<array{name: string, colour: string}>  $classes
     * @param  array<int, int>  $pixels
     * @param  array<int, float>|null  $areas  square metres, where pixels differ in size
     */
    public static function of(array $classes, array $pixels, ?array $areas, ?Ground $ground): self
    {
        ksort($pixels);

        return new self($classes, $pixels, $ground?->hectares($pixels, $areas));
    }

    /** @return list<array<string, mixed>> from, to, pixels, hectares and share of all, the most first */
    public function rows(): array
    {
        $number = count($this->classes);
        $amounts = $this->hectares ?? $this->pixels;
        $all = max(1e-300, array_sum($amounts));
        $rows = [];
        foreach ($this->pixels as $pair => $count) {
            $rows[] = [
                'from' => $this->classes[intdiv($pair, $number)]['name'],
                'to' => $this->classes[$pair % $number]['name'],
                'pixels' => $count,
            ] + ($this->hectares === null ? [] : ['hectares' => $this->hectares[$pair]]) + ['share' => $amounts[$pair] / $all];
        }
        usort($rows, fn (array $a, array $b): int => [$b['pixels'], $a['from'], $a['to']] <=> [$a['pixels'], $b['from'], $b['to']]);

        return $rows;
    }

    /** Part of all that stayed what it was; null where nothing was compared. */
    public function stayed(): ?float
    {
        $number = count($this->classes);
        $amounts = $this->hectares ?? $this->pixels;
        $all = array_sum($amounts);
        $kept = 0;
        for ($k = 0; $k < $number; $k++) {
            $kept += $amounts[$k * $number + $k] ?? 0;
        }

        return $all > 0 ? $kept / $all : null;
    }

    /**
     * Of each class what it was, what it is, and how it came so: in hectares, or in pixels where the ground is not known.
     *
     * @return list<array<string, mixed>>
     */
    public function balance(): array
    {
        $amounts = $this->hectares ?? $this->pixels;
        $number = count($this->classes);
        $rows = [];
        foreach ($this->classes as $k => ['name' => $name]) {
            $before = $after = 0;
            for ($other = 0; $other < $number; $other++) {
                $before += $amounts[$k * $number + $other] ?? 0;
                $after += $amounts[$other * $number + $k] ?? 0;
            }
            $stayed = $amounts[$k * $number + $k] ?? 0;
            if ($before > 0 || $after > 0) {
                $rows[] = [
                    'class' => $name,
                    'before' => $before,
                    'after' => $after,
                    'gain' => $after - $stayed,
                    'loss' => $before - $stayed,
                    'swap' => 2 * min($after - $stayed, $before - $stayed),
                    'net' => $after - $before,
                ];
            }
        }

        return $rows;
    }

    /**
     * The matrix as a table: a row for each class before, a column for each after; first in pixels, then in hectares, then as parts of all.
     *
     * @return list<list<string|int|float|null>>
     */
    public function table(string $before, string $after): array
    {
        $names = array_column($this->classes, 'name');
        $number = count($names);
        $ground = $this->hectares ?? $this->pixels;
        $all = max(1e-300, array_sum($ground));
        $rows = [];
        $kinds = ['pixels' => $this->pixels] + ($this->hectares === null ? [] : ['hectares' => $this->hectares])
            + ['share' => array_map(fn (int|float $amount): float => $amount / $all, $ground)];
        foreach ($kinds as $kind => $amounts) {
            $rows[] = ["$kind, $before to $after", ...$names, 'all'];
            foreach ($names as $k => $name) {
                $line = array_map(fn (int $other): int|float => $amounts[$k * $number + $other] ?? 0, range(0, $number - 1));
                $rows[] = [$name, ...$line, array_sum($line)];
            }
            $columns = array_map(fn (int $other): int|float => array_sum(array_map(fn (int $k): int|float => $amounts[$k * $number + $other] ?? 0,
                range(0, $number - 1))), range(0, $number - 1));
            $rows[] = ['all', ...$columns, array_sum($columns)];
        }

        return $rows;
    }
}
