<?php

namespace Chorometra\Core\Classify\Training;

use Chorometra\Core\Classify\Cases\Areas;
use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Classifiers\MaximumLikelihood;
use Chorometra\Core\Classify\Classifiers\NearestMean;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\Clustering;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Stats\Separability;

/** What training areas say before anything is taught: are there enough, and do their classes part? */
final readonly class TrainingDiagnostics
{
    /** Pixels of a class for each band; fewer give covariances that shake. Common practice, no source. */
    private const PER_BAND = 10;

    /** Parts of the scene, across and down, of which a class should lie in several. */
    private const PARTS = 3;

    /** Below this of 2 two classes are often mistaken for each other. Common practice, no source. */
    private const POOR = 1.6;

    /** From this of 2 on they are hardly ever. Common practice, no source. */
    private const WELL = 1.9;

    /** How far the halves of a class lie apart when it is two: Ashman's D (Ashman, Bird & Zepf 1994), raised since the halves are cut, not mixed. */
    private const TWO = 4.0;

    private const BINS = 48;

    private const MOST = 3000;

    /** Cases of a heap at least, of its class. */
    private const HEAP = 0.12;

    /** Areas with strays that are told, the worst first, and places of each. */
    private const STRAYS = 60;

    private const PLACES = 400;

    /** @var list<Comoments> by class */
    private array $moments;

    /** @var list<Normal|list<int>|null> null where there are too few cases */
    private array $normals;

    public function __construct(private Areas $areas, private Samples $samples, private FeatureTable $there)
    {
        $this->moments = $samples->comoments();
        $this->normals = array_map(
            fn (Comoments $own): Normal|array|null => $own->count > count($there->names) ? Normal::of($own->means, $own->covariances()) : null,
            $this->moments,
        );
    }

    /** @return array<string, mixed> */
    public function figures(): array
    {
        $classes = $this->classes();
        $pairs = $this->pairs();
        $strays = $this->strays();

        return [
            'unit' => $this->there->isOfSegments() ? 'segments' : 'pixels',
            'bands' => array_map(fn (int $band): array => [
                'name' => $this->there->names[$band],
                'unit' => $this->there->units[$band],
                'wavelength' => $this->wavelength($band),
                'minimum' => $this->samples->count() === 0 ? 0.0 : min($this->samples->columns[$band]),
                'maximum' => $this->samples->count() === 0 ? 0.0 : max($this->samples->columns[$band]),
            ], array_keys($this->there->names)),
            'classes' => $classes,
            'pairs' => $pairs,
            'strays' => $strays,
            'said' => $this->said($classes, $pairs, $strays),
            'left' => $this->samples->left + ['outside' => $this->areas->outside],
        ];
    }

    /**
     * How the whole image lies in two bands, in 48 x 48 bins between their extremes.
     *
     * @return array{x: array{float, float}, y: array{float, float}, counts: list<int>}
     */
    public static function density(FeatureTable $there, int $x, int $y, int $most = 60_000): array
    {
        $grid = $there->grid;
        $step = max(1, (int) ceil(sqrt($grid->width * $grid->height / $most)));
        $pairs = [[], []];
        for ($row = intdiv($step, 2); $row < $grid->height; $row += $step) {
            $window = new Window(0, $row, $grid->width, 1);
            $values = array_map(fn (int $band): array => Values::of($there->bands[$band][0], $there->bands[$band][1], $window), [$x, $y]);
            for ($col = intdiv($step, 2); $col < $grid->width; $col += $step) {
                if (is_finite($values[0][$col] + $values[1][$col])) {
                    $pairs[0][] = $values[0][$col];
                    $pairs[1][] = $values[1][$col];
                }
            }
        }
        $bounds = array_map(function (array $values): array {
            sort($values);
            $count = count($values);

            // what is very far out would leave no room for the rest
            return $count === 0 ? [0.0, 1.0] : [
                $values[(int) (0.002 * $count)],
                max($values[(int) (0.998 * ($count - 1))], $values[(int) (0.002 * $count)] + 1e-12),
            ];
        }, $pairs);
        $counts = array_fill(0, self::BINS * self::BINS, 0);
        foreach ($pairs[0] as $i => $value) {
            $col = (int) floor(($value - $bounds[0][0]) / ($bounds[0][1] - $bounds[0][0]) * self::BINS);
            $line = (int) floor(($pairs[1][$i] - $bounds[1][0]) / ($bounds[1][1] - $bounds[1][0]) * self::BINS);
            if ($col >= 0 && $line >= 0 && $col <= self::BINS && $line <= self::BINS) {
                $counts[min($line, self::BINS - 1) * self::BINS + min($col, self::BINS - 1)]++;
            }
        }

        return ['x' => $bounds[0], 'y' => $bounds[1], 'counts' => $counts];
    }

    /** In µm; null of what has none. */
    private function wavelength(int $band): ?float
    {
        [$image, $own] = $this->there->bands[$band] ?? [null, 0];

        return $image?->spec()->bands[$own]->wavelength;
    }

    /** @return list<array<string, mixed>> */
    private function classes(): array
    {
        $ground = Ground::of($this->there->grid);
        $names = $this->samples->names();
        $codes = $this->samples->legend->codes();
        $rows = [];
        foreach ($this->samples->byClass() as $class => $cases) {
            $own = array_filter($this->areas->areas, fn (array $area): bool => $area['class'] === $class);
            $moments = $this->moments[$class];
            $rows[] = [
                'class' => $names[$class],
                'colour' => $this->samples->legend->classes[$codes[$class]]['colour'],
                'areas' => count($own),
                'pixels' => count($cases) * $this->samples->left['every'],
                'hectares' => $ground === null || $this->there->isOfSegments() ? null : $this->hectares($ground, $cases),
                'parts' => count($this->parts($cases)),
                'means' => $moments->means,
                'deviations' => $moments->count === 0 ? [] : array_map($moments->deviation(...), array_keys($this->there->names)),
                'covariances' => $moments->count < 2 ? [] : $moments->covariances(),
                'histograms' => $this->histograms($cases),
                'heaps' => $this->heaps($cases),
            ];
        }

        return $rows;
    }

    /** @param  list<int>  $cases */
    private function hectares(Ground $ground, array $cases): float
    {
        $width = $this->there->grid->width;
        $rows = array_count_values(array_map(fn (int $case): int => intdiv($this->samples->places[$case], $width), $cases));
        $area = 0.0;
        foreach ($rows as $row => $count) {
            $area += $count * $ground->pixelArea(0.5 * $width, $row + 0.5);
        }

        return $area * $this->samples->left['every'] / 1e4;
    }

    /**
     * @param  list<int>  $cases
     * @return array<int, true> parts of the scene that they lie in
     */
    private function parts(array $cases): array
    {
        $parts = [];
        $width = $this->there->grid->width;
        foreach ($this->there->isOfSegments() ? [] : $cases as $case) {
            $place = $this->samples->places[$case];
            $across = (int) (self::PARTS * ($place % $width) / $width);
            $parts[$across + self::PARTS * (int) (self::PARTS * intdiv($place, $width) / $this->there->grid->height)] = true;
        }

        return $parts;
    }

    /**
     * @param  list<int>  $cases
     * @return list<list<int>> by band, counts between the extremes of all classes
     */
    private function histograms(array $cases): array
    {
        $histograms = [];
        foreach ($this->samples->columns as $column) {
            $counts = array_fill(0, self::BINS, 0);
            [$least, $most] = $column === [] ? [0.0, 1.0] : [min($column), max($column)];
            $factor = $most > $least ? self::BINS / ($most - $least) : 0.0;
            foreach ($cases as $case) {
                $counts[min(self::BINS - 1, (int) (($column[$case] - $least) * $factor))]++;
            }
            $histograms[] = $counts;
        }

        return $histograms;
    }

    /**
     * Whether a class is two: cut in two halves that lie far apart.
     *
     * @param  list<int>  $cases
     * @return array{share: float, apart: float, areas: list<int>}|null share of the second heap, how far they lie apart, and areas mostly in it
     */
    private function heaps(array $cases): ?array
    {
        if (count($cases) < 20) {
            return null;
        }
        $class = $this->samples->answers[$cases[0]];
        $some = $this->samples->only($cases)->atMost(self::MOST);
        $columns = [];
        foreach ($some->columns as $band => $column) {
            $deviation = $this->moments[$class]->deviation($band);
            $columns[] = array_map(fn (float $value): float => $deviation > 0.0 ? $value / $deviation : 0.0, $column);
        }
        $halves = Clustering::means($columns, $some->count(), Clustering::seeds($columns, $some->count(), 2, 1), 30);
        if (count($halves->centres) < 2 || min($halves->sizes) < self::HEAP * $some->count()) {
            return null;
        }
        // along the line between the two centres
        $line = array_map(fn (float $a, float $b): float => $b - $a, $halves->centres[0], $halves->centres[1]);
        $sides = [[], []];
        foreach ($halves->labels as $case => $half) {
            $sides[$half][] = array_sum(array_map(fn (array $column, float $part): float => $column[$case] * $part, $columns, $line));
        }
        [$one, $other] = array_map(fn (array $values): Comoments => Comoments::of([$values], count($values)), $sides);
        $spread = sqrt(0.5 * ($one->deviation(0) ** 2 + $other->deviation(0) ** 2));
        $apart = abs($other->means[0] - $one->means[0]) / max(1e-300, $spread);
        if ($apart < self::TWO) {
            return null;
        }
        $smaller = $halves->sizes[0] < $halves->sizes[1] ? 0 : 1;
        $areas = [];
        foreach ($some->byArea() as $area => $own) {
            $in = count(array_filter($own, fn (int $case): bool => $halves->labels[$case] === $smaller));
            if (2 * $in > count($own)) {
                $areas[] = $area;
            }
        }

        return ['share' => $halves->sizes[$smaller] / $some->count(), 'apart' => $apart, 'areas' => $areas];
    }

    /** @return list<array{a: int, b: int, how: string, jm: float, td: float, best: list<string>}> the worst first; classes without covariances are left out */
    private function pairs(): array
    {
        $pairs = [];
        foreach ($this->normals as $a => $one) {
            foreach ($this->normals as $b => $other) {
                if ($a < $b && $one instanceof Normal && $other instanceof Normal) {
                    $jm = Separability::jeffriesMatusita($one, $other);
                    $pairs[] = [
                        'a' => $a,
                        'b' => $b,
                        'how' => $jm >= self::WELL ? 'well' : ($jm >= self::POOR ? 'fairly' : 'hardly'),
                        'jm' => $jm,
                        'td' => Separability::transformedDivergence($one, $other),
                        'best' => $this->best($a, $b),
                    ];
                }
            }
        }
        usort($pairs, fn (array $one, array $other): int => $one['jm'] <=> $other['jm']);

        return $pairs;
    }

    /** @return list<string> the two bands that part two classes best, each by itself */
    private function best(int $a, int $b): array
    {
        $single = [];
        foreach ($this->there->names as $band => $name) {
            [$one, $other] = array_map(
                fn (int $class): Normal|array => Normal::of([$this->moments[$class]->means[$band]], [[$this->moments[$class]->deviation($band) ** 2]]),
                [$a, $b],
            );
            $single[$name] = $one instanceof Normal && $other instanceof Normal ? Separability::jeffriesMatusita($one, $other) : 0.0;
        }
        arsort($single);

        return array_slice(array_keys($single), 0, 2);
    }

    /**
     * Pixels that look like another class, by area, with the pixels of the grid that do not.
     *
     * @return list<array{area: int, class: string, as: string, share: float, places: list<array{float, float}>, kept: list<int>}>
     */
    private function strays(): array
    {
        $classifier = $this->classifier();
        if ($classifier === null) {
            return [];
        }
        $codes = $classifier->assign($this->samples->columns, $this->samples->count())->codes;
        $names = $this->samples->names();
        $width = $this->there->grid->width;
        $strays = [];
        foreach ($this->samples->byArea() as $area => $cases) {
            $others = $kept = [];
            $class = $this->samples->answers[$cases[0]];
            foreach ($cases as $case) {
                if ($codes[$case] !== $class) {
                    $others[$codes[$case]][] = $case;
                } else {
                    $kept[] = $this->samples->places[$case];
                }
            }
            if ($others === []) {
                continue;
            }
            uasort($others, fn (array $one, array $other): int => count($other) <=> count($one));
            $most = array_key_first($others);
            $strays[] = [
                'area' => $area,
                'class' => $names[$class],
                'as' => $names[$most],
                'share' => count(array_merge(...$others)) / count($cases),
                'kept' => $this->there->isOfSegments() || $this->samples->left['every'] > 1 ? [] : $kept,
                'places' => $this->there->isOfSegments() ? [] : array_map(
                    fn (int $case): array => $this->there->grid->toMap(
                        $this->samples->places[$case] % $width + 0.5,
                        intdiv($this->samples->places[$case], $width) + 0.5,
                    ),
                    array_slice(array_merge(...$others), 0, self::PLACES),
                ),
            ];
        }
        usort($strays, fn (array $one, array $other): int => $other['share'] <=> $one['share']);

        return array_slice($strays, 0, self::STRAYS);
    }

    /** By likelihood where all classes have covariances, else by means in deviations of all. */
    private function classifier(): ?Classifier
    {
        $classes = count($this->normals);
        if ($classes < 2 || min(array_map(fn (Comoments $own): int => $own->count, $this->moments)) < 2) {
            return null;
        }
        $codes = range(0, $classes - 1);
        $normals = array_values(array_filter($this->normals, fn (mixed $normal): bool => $normal instanceof Normal));
        if (count($normals) === $classes) {
            return new MaximumLikelihood($codes, -1, $normals, array_fill(0, $classes, 1.0 / $classes), null);
        }
        $all = Comoments::of($this->samples->columns, $this->samples->count());

        return NearestMean::of($codes, -1, array_map(fn (Comoments $own): array => $own->means, $this->moments),
            array_map($all->deviation(...), array_keys($this->there->names)), array_fill(0, $classes, 1.0));
    }

    /**
     * What stands against teaching, in words.
     *
     * @param  list<array<string, mixed>>  $classes
     * @param  list<array<string, mixed>>  $pairs
     * @param  list<array<string, mixed>>  $strays
     * @return list<array{about: string|null, text: string, does: string|null}>
     */
    private function said(array $classes, array $pairs, array $strays): array
    {
        $said = count($classes) === 1 ? [self::say(null, "All areas are “{$classes[0]['class']}”: a map needs two classes at least.")] : [];
        foreach ($classes as $class => $row) {
            array_push($said, ...$this->ofClass($row, $this->normals[$class]));
        }
        $names = array_column($classes, 'class');
        foreach (array_slice(array_filter($pairs, fn (array $pair): bool => $pair['how'] === 'hardly'), 0, 3) as $pair) {
            $best = implode(' and ', $pair['best']);
            $said[] = self::say(
                $names[$pair['a']],
                sprintf('“%s” and “%s” are hardly separable (%.2f of 2); they are separated best by %s.', $names[$pair['a']], $names[$pair['b']],
                    $pair['jm'], $best),
            );
        }
        if ($this->samples->left['between'] > 0) {
            $said[] = self::say(null, number_format($this->samples->left['between']).' pixels are in areas of two classes: they are used for neither.');
        }
        $fits = intdiv(array_sum(array_column($classes, 'pixels')), self::PER_BAND * max(1, count($this->there->names)));
        if (count($classes) > max(2, $fits)) {
            $said[] = self::say(
                null,
                sprintf('There are %d classes, and enough training pixels for %d: draw more areas, merge classes, or use fewer bands.', count($classes), $fits),
            );
        }
        foreach (array_slice(array_filter($strays, fn (array $stray): bool => $stray['share'] > 0.5), 0, 3) as $stray) {
            $said[] = self::say($stray['class'], "Area {$stray['area']} of “{$stray['class']}” looks like “{$stray['as']}”.");
        }

        return $said;
    }

    /**
     * @param  array<string, mixed>  $row
     * @param  Normal|list<int>|null  $normal
     * @return list<array{about: string|null, text: string, does: string|null}>
     */
    private function ofClass(array $row, Normal|array|null $normal): array
    {
        $bands = count($this->there->names);
        $unit = $this->there->isOfSegments() ? 'segments' : 'pixels';
        $name = $row['class'];
        $number = $row['pixels'];
        $enough = self::PER_BAND * $bands;
        $said = [];
        if ($number === 0) {
            return [self::say($name, "“{$name}” has no $unit with a value: its areas are outside the image or on nodata.")];
        }
        if ($normal === null) {
            $said[] = self::say(
                $name,
                "“{$name}” has $number $unit; with $bands bands more than $bands are needed to know how they spread, better $enough.",
            );
        } elseif ($number < $enough) {
            $said[] = self::say($name, "“{$name}” has $number $unit: few for $bands bands; its variance is reliable from $enough on.");
        }
        if (is_array($normal)) {
            $alike = array_map(fn (int $band): string => $this->there->names[$band], $normal);
            $said[] = self::say($name, count($alike) === 1
                ? "“{$name}” is the same everywhere in $alike[0]."
                : "In “{$name}” $alike[1] follows from $alike[0] and the bands before: leave one out.");
        }
        if ($row['parts'] === 1) {
            $where = $row['areas'] === 1 ? "“{$name}” has one area" : "All areas of “{$name}” are in one part of the scene";
            $said[] = self::say($name, "$where: draw some elsewhere, where it may look different.");
        }
        if ($row['heaps'] !== null) {
            $said[] = self::say($name, sprintf(
                '“%s” looks bimodal: %d %% of its %s differ from the rest. Two classes, combined afterwards, may be easier to separate.',
                $name,
                round(100 * $row['heaps']['share']),
                $unit,
            ), 'split');
        }

        return $said;
    }

    /** @return array{about: string|null, text: string, does: string|null} */
    private static function say(?string $about, string $text, ?string $does = null): array
    {
        return ['about' => $about, 'text' => $text, 'does' => $does];
    }
}
