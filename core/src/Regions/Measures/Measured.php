<?php

namespace Chorometra\Core\Regions\Measures;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\SideLength;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Regions\Numbers\Neighbours;
use Chorometra\Core\Step\NamedImages;
use Chorometra\Core\Work\Context;

/** Measures of the segments of an image; what several need is looked for once. */
final class Measured
{
    private readonly Collector $collector;

    /** @var list<int>|null numbers of the segments that there are, rising */
    private ?array $numbers = null;

    /** @var list<list<float>> */
    private array $shapes = [];

    /** @var array<string, array{Image, int}> bands of which something was asked for */
    private array $bands = [];

    /** @var array<string, list<list<float>>>|null by band, all at once */
    private ?array $values = null;

    /** @var list<array{int, int, float}>|null pairs of neighbours and the length of their edge */
    private ?array $neighbours = null;

    public function __construct(
        private readonly Image $segments,
        private readonly ?NamedImages $images,
        private readonly ?Image $classes,
        private readonly ?Ground $ground,
        private readonly Context $context,
    ) {
        $this->collector = new Collector($segments, $context);
    }

    /**
     * To be asked of all measures before the first is looked for.
     *
     * @throws Problem where what a measure is of is not there
     */
    public function check(Wish $wish, string $setting = 'measures'): void
    {
        if ($wish->isOfBand()) {
            $band = $this->images === null
                ? throw Problem::call("$wish->name needs an image: give one.", $setting)
                : $this->images->band((string) $wish->of, $setting);
            if ($wish->what !== 'median') {
                $this->bands[(string) $wish->of] = $band;
            }
        } elseif ($wish->of !== null) {
            $this->code($wish, $setting);
        }
    }

    /** @return list<int> */
    public function numbers(): array
    {
        if ($this->numbers === null) {
            [, $this->shapes] = $this->collector->shapes($this->ground);
            $this->numbers = array_keys(array_filter($this->shapes[0], fn (float $pixels): bool => $pixels > 0.0));
        }

        return $this->numbers;
    }

    /** @return array{unit: string|null, values: list<float>} in the order of the numbers; NaN where there is none */
    public function column(Wish $wish): array
    {
        $this->numbers();
        $all = match ($wish->what) {
            'pixels' => $this->shapes[0],
            'area' => $this->shapes[6],
            'perimeter' => $this->shapes[7],
            'x', 'y', 'length', 'width', 'elongation', 'compactness' => null,
            'median' => $this->collector->medians(...$this->band($wish)),
            'contrast' => $this->contrast($wish),
            'share' => $this->share($wish),
            'distance' => $this->distance($wish),
            default => $this->ofBand($wish),
        };
        $unit = match (true) {
            $wish->isOfBand() => $this->band($wish)[0]->spec()->bands[$this->band($wish)[1]]->unit,
            $wish->what === 'distance' => 'm',
            default => Wish::SHAPES[$wish->what] ?? null,
        };

        return [
            'unit' => $unit === 'm' || $unit === 'm²' ? ($this->ground === null ? null : $unit) : $unit,
            'values' => array_map(fn (int $number): float => $all === null ? $this->shape($wish->what, $number) : $all[$number], $this->numbers()),
        ];
    }

    private function shape(string $what, int $number): float
    {
        [$n, $x, $y, $xx, $yy, $xy, $area, $around] = array_map(fn (array $values): float => $values[$number], $this->shapes);
        [$u, $v] = [$x / $n, $y / $n];
        if ($what === 'x' || $what === 'y') {
            return $this->segments->spec()->grid->toMap($u, $v)[$what === 'x' ? 0 : 1];
        }
        if ($what === 'compactness') {
            return 4.0 * M_PI * $area / ($around * $around);
        }
        // a pixel by itself has the second moment of a square
        [$wide, $high] = $this->ground?->steps() ?? [1.0, 1.0];
        $a = $wide * $wide * (max(0.0, $xx / $n - $u * $u) + 1.0 / 12.0);
        $c = $high * $high * (max(0.0, $yy / $n - $v * $v) + 1.0 / 12.0);
        $b = $wide * $high * ($xy / $n - $u * $v);
        $root = sqrt((($a - $c) / 2.0) ** 2 + $b * $b);
        [$long, $short] = [4.0 * sqrt(($a + $c) / 2.0 + $root), 4.0 * sqrt(max(0.0, ($a + $c) / 2.0 - $root))];

        return match ($what) {
            'length' => $long,
            'width' => $short,
            default => $short > 0.0 ? $long / $short : NAN,
        };
    }

    /** @return list<float> */
    private function ofBand(Wish $wish): array
    {
        $this->values ??= $this->collector->values($this->bands);
        [$counts, $means, $squares, $least, $greatest] = $this->values[(string) $wish->of];

        return match ($wish->what) {
            'mean' => $means,
            'minimum' => $least,
            'maximum' => $greatest,
            'range' => array_map(fn (float $to, float $from): float => $to - $from, $greatest, $least),
            default => array_map(fn (float $sum, float $n): float => $n > 0.0 ? sqrt($sum / $n) : NAN, $squares, $counts),
        };
    }

    /** @return list<float> */
    private function contrast(Wish $wish): array
    {
        $means = $this->ofBand(Wish::of("mean({$wish->of})"));
        $this->neighbours ??= $this->neighbours();
        $sums = $sides = array_fill(0, count($means), 0.0);
        foreach ($this->neighbours as [$one, $other, $length]) {
            foreach ([[$one, $other], [$other, $one]] as [$own, $beside]) {
                if ($means[$beside] === $means[$beside]) {
                    $sums[$own] += $length * $means[$beside];
                    $sides[$own] += $length;
                }
            }
        }

        return array_map(fn (float $mean, float $sum, float $length): float => $length > 0.0 ? $mean - $sum / $length : NAN, $means, $sums, $sides);
    }

    /** @return list<array{int, int, float}> always in the same order, however many work */
    private function neighbours(): array
    {
        $sides = [];
        Neighbours::each($this->segments, $this->context, function (int $one, int $other, int $columns, int $rows) use (&$sides): void {
            $sides[$one << 32 | $other] = ($sides[$one << 32 | $other] ?? 0) + ($rows << 32 | $columns);
        });
        ksort($sides);
        $length = SideLength::of($this->ground);

        return array_map(
            fn (int $pair, int $both): array => [$pair >> 32, $pair & 0xFFFFFFFF, $length->along($both & 0xFFFFFFFF, $both >> 32)],
            array_keys($sides),
            $sides,
        );
    }

    /** @return list<float> */
    private function share(Wish $wish): array
    {
        assert($this->classes !== null);
        [$facing, $all] = $this->collector->facing($this->classes, $this->code($wish, 'measures'), SideLength::of($this->ground));

        return array_map(fn (float $some, float $sides): float => $sides > 0.0 ? $some / $sides : NAN, $facing, $all);
    }

    /** @return list<float> */
    private function distance(Wish $wish): array
    {
        assert($this->classes !== null);

        return $this->collector->distances($this->classes, $this->code($wish, 'measures'), $this->ground?->steps() ?? [1.0, 1.0]);
    }

    /** @return array{Image, int} */
    private function band(Wish $wish): array
    {
        return $this->images?->band((string) $wish->of, 'measures') ?? throw Problem::call("$wish->name needs an image.", 'measures');
    }

    private function code(Wish $wish, string $setting): int
    {
        if ($this->classes === null) {
            throw Problem::call("$wish->name needs a class map: give one at the input classes.", $setting);
        }

        return ClassCodes::one($this->classes, (string) $wish->of, $setting);
    }
}
