<?php

namespace Chorometra\Benchmarks;

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Segment\Slice;
use Chorometra\Core\Stats\Moments;

/** The loops themselves, in memory and in one process. Each tells a number by which it is seen to agree with numpy's. */
final class Kernels
{
    public const NAMES = ['decode 16-bit', 'linear', 'index', 'moments', 'histogram', 'halve', 'label', 'encode float'];

    /** @return array{seconds: float, value: list<float>} the best of some rounds */
    public static function run(string $name, string $scene): array
    {
        $image = new GeoTiffImage($scene);
        [$width, $height] = $image->levels()[0];
        // as many rows as make some four million pixels
        $rows = min($height, intdiv(4 << 20, $width));
        $count = $width * $rows;
        $raw = $image->read(3, new Window(0, 0, $width, $rows));
        $nir = Codec::values($raw, SampleType::UInt16, 0.0);
        $green = Codec::values($image->read(1, new Window(0, 0, $width, $rows)), SampleType::UInt16, 0.0);
        $index = (new Formula('(green - nir) / (green + nir)'))->compile();
        $work = match ($name) {
            'decode 16-bit' => fn (): array => [self::sum(Codec::values($raw, SampleType::UInt16, 0.0))],
            'linear' => fn (): array => [self::sum(Codec::linear($nir, $count, 2e-5, -0.1))],
            'index' => fn (): array => [self::sum($index([$green, $nir], $count)[0])],
            'moments' => function () use ($nir): array {
                $moments = Moments::of($nir);

                return [$moments->minimum, $moments->maximum, $moments->mean, $moments->deviation()];
            },
            'histogram' => function () use ($nir, $count): array {
                $counts = array_fill(0, 512, 0);
                Histogram::count($counts, $nir, $count, 0.0, 65536.0, 512);

                return array_map(floatval(...), $counts);
            },
            'halve' => fn (): array => [self::sum(Reduce::mean($nir, $width, $rows))],
            'label' => fn (): array => [(float) Slice::runs($nir, $width, $rows, [9600.0])[0]->parts(4)[1]],
            default => fn (): array => [(float) strlen(Codec::encode($nir, SampleType::Float32, NAN))],
        };
        $best = INF;
        for ($round = 0; $round < 4; $round++) {
            $start = hrtime(true);
            $value = $work();
            $best = min($best, (hrtime(true) - $start) / 1e9);
        }

        return ['seconds' => $best, 'value' => $value];
    }

    /** @param  list<float>  $values */
    private static function sum(array $values): float
    {
        $sum = 0.0;
        foreach ($values as $value) {
            if ($value === $value) {
                $sum += $value;
            }
        }

        return $sum;
    }
}
