<?php

namespace Chorometra\Demo;

use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Work\Files;

/**
 * Single looks of the made-up satellite Cassavel-1 in four polarisations, complex, in the geometry of the sensor: columns away from its
 * track, rows along it, with ground control points in longitude and latitude. Two dates share what the ground kept of itself.
 */
final class ComplexRadar
{
    public const COLUMNS = 480;

    public const ROWS = 520;

    /** Degrees by which the track is turned against north. */
    private const TURN = 12.0;

    /** Ground control points each way. */
    private const CONTROLS = 6;

    /** Amplitude of the receivers' noise where little comes back. */
    private const NOISE = 0.02;

    private const MIDDLE = [437_000.0, 6_066_000.0];

    /** @return array{float, float} where a position of the image (corners at whole numbers) lies, UTM zone 32 */
    public static function place(float $col, float $row): array
    {
        // ground range grows faster than the columns
        $across = 17.5 * ($col - self::COLUMNS / 2) + 0.0045 * ($col ** 2 - (self::COLUMNS / 2) ** 2);
        $along = 19.0 * ($row - self::ROWS / 2);
        [$cos, $sin] = [cos(deg2rad(self::TURN)), sin(deg2rad(self::TURN))];

        return [self::MIDDLE[0] + $across * $cos - $along * $sin, self::MIDDLE[1] - $across * $sin - $along * $cos];
    }

    /**
     * Power of surface, double bounce and volume scattering in VV, the ratio of HH to VV of the first two, and how much of its speckle a
     * place keeps from one date to the other; made up, with the usual order of such values.
     *
     * @return array{float, float, float, float, float, float}
     */
    public static function scattering(Cover $cover): array
    {
        [$surface, $double, $volume, $kept] = match ($cover) {
            Cover::Deep, Cover::Shallow => [1.0, 0.0, 0.0, 0.0],
            Cover::Flat => [0.93, 0.02, 0.05, 0.25],
            Cover::Marsh => [0.35, 0.35, 0.3, 0.3],
            Cover::Pasture => [0.6, 0.05, 0.35, 0.4],
            Cover::Crop => [0.45, 0.1, 0.45, 0.2],
            Cover::Soil => [0.9, 0.02, 0.08, 0.6],
            Cover::Wood => [0.12, 0.08, 0.8, 0.15],
            Cover::Town => [0.15, 0.7, 0.15, 0.9],
            Cover::Quarry => [0.75, 0.1, 0.15, 0.8],
        };
        $power = 10 ** (Radar::decibel($cover, false) / 10);

        return [$surface * $power, $double * $power, $volume * $power, 0.8, -0.85, $kept];
    }

    public static function write(string $path, CatalogueScene $scene): void
    {
        $codes = [];
        foreach ([false, true] as $later) {
            $codes[] = Reduce::mode(Landscape::at($later)->cover, Landscape::SIZE, Landscape::SIZE);
        }
        $grid = OpticalScene::grid(20);
        $tables = [0 => [0.0, 0.0, 0.0, 0.0, 0.0, 0.0]];
        foreach (Cover::cases() as $cover) {
            $tables[$cover->value] = self::scattering($cover);
        }
        $common = new \Random\Engine\Xoshiro256StarStar(71);
        $own = new \Random\Engine\Xoshiro256StarStar($scene->seed);
        $bands = ['', '', '', ''];
        for ($row = 0; $row < self::ROWS; $row++) {
            $lines = [[], [], [], []];
            for ($col = 0; $col < self::COLUMNS; $col++) {
                [$c, $r] = $grid->toPixel(...self::place($col + 0.5, $row + 0.5));
                $k = (int) $r * $grid->width + (int) $c;
                [$fs, $fd, $fv, $beta, $alpha, $kept] = $tables[$codes[$scene->later ? 1 : 0][$k]];
                $kept = $codes[0][$k] === $codes[1][$k] ? $kept : 0.0;
                $new = sqrt(1 - $kept);
                $kept = sqrt($kept);
                $g = [];
                for ($i = 0; $i < 5; $i++) {
                    [$a, $b] = self::complex($common);
                    [$p, $q] = self::complex($own);
                    $g[] = $kept * $a + $new * $p;
                    $g[] = $kept * $b + $new * $q;
                }
                $noise = [...self::complex($own), ...self::complex($own)];
                [$s, $d, $v, $x] = [sqrt($fs), sqrt($fd), sqrt($fv), sqrt($fv / 3)];
                for ($i = 0; $i < 2; $i++) {
                    $lines[0][] = $s * $beta * $g[$i] + $d * $alpha * $g[2 + $i] + $v * $g[4 + $i];
                    // by reciprocity the same, but for the receivers' noise
                    $lines[1][] = $x * $g[8 + $i] + self::NOISE * $noise[$i];
                    $lines[2][] = $x * $g[8 + $i] + self::NOISE * $noise[2 + $i];
                    $lines[3][] = $s * $g[$i] + $d * $g[2 + $i] + $v * ($g[4 + $i] / 3 + 0.9428090415820634 * $g[6 + $i]);
                }
            }
            foreach ($lines as $band => $line) {
                $bands[$band] .= pack('g*', ...$line);
            }
        }
        Files::write($path, self::tiff($bands));
    }

    /**
     * A circular Gaussian number of unit power.
     *
     * @return array{float, float}
     */
    private static function complex(\Random\Engine $random): array
    {
        [, $a, $b] = (array) unpack('V2', $random->generate()) + [0, 0, 0];
        $radius = sqrt(-log(($a + 1) / 4294967297));
        $angle = 2 * M_PI * $b / 4294967296;

        return [$radius * cos($angle), $radius * sin($angle)];
    }

    /**
     * A TIFF of complex samples of twice 32 bits, bands apart, that tells its place by ground control points.
     *
     * @param  list<string>  $bands
     */
    private static function tiff(array $bands): string
    {
        $ties = [];
        for ($j = 0; $j < self::CONTROLS; $j++) {
            for ($i = 0; $i < self::CONTROLS; $i++) {
                [$col, $row] = [self::COLUMNS * $i / (self::CONTROLS - 1), self::ROWS * $j / (self::CONTROLS - 1)];
                $place = Crs::toGeographic(OpticalScene::grid(20)->epsg, ...self::place($col, $row));
                assert($place !== null);
                array_push($ties, $col, $row, 0.0, $place[0], $place[1], 0.0);
            }
        }
        $n = count($bands);
        $size = strlen($bands[0]);
        // tag, type (3 short, 4 long, 12 double), values
        $tags = [
            [256, 4, [self::COLUMNS]],
            [257, 4, [self::ROWS]],
            [258, 3, array_fill(0, $n, 64)],
            [259, 3, [1]],
            [262, 3, [1]],
            [273, 4, array_fill(0, $n, 0)],
            [277, 3, [$n]],
            [278, 4, [self::ROWS]],
            [279, 4, array_fill(0, $n, $size)],
            [284, 3, [2]],
            [338, 3, array_fill(0, $n - 1, 0)],
            [339, 3, array_fill(0, $n, 6)],
            [33922, 12, $ties],
            [34735, 3, [1, 1, 1, 4, 1024, 0, 1, 2, 1025, 0, 1, 1, 2048, 0, 1, 4326, 2054, 0, 1, 9102]],
        ];
        $head = 0;
        for ($round = 0; $round < 2; $round++) {
            $tags[5][2] = array_map(fn (int $k): int => $head + $k * $size, range(0, $n - 1));
            $entries = '';
            $data = '';
            $after = 8 + 2 + 12 * count($tags) + 4;
            foreach ($tags as [$tag, $type, $values]) {
                $bytes = pack([3 => 'v*', 4 => 'V*', 12 => 'e*'][$type], ...$values);
                $entries .= pack('vvV', $tag, $type, count($values)).(strlen($bytes) <= 4 ? str_pad($bytes, 4, "\0") : pack('V', $after + strlen($data)));
                $data .= strlen($bytes) <= 4 ? '' : $bytes.str_repeat("\0", -strlen($bytes) & 7);
            }
            $out = "II*\0".pack('V', 8).pack('v', count($tags)).$entries.pack('V', 0).$data;
            $head = strlen($out);
        }

        return $out.implode('', $bands);
    }
}
