<?php

namespace Chorometra\Demo;

use Chorometra\Core\Work\Files;

/**
 * A made-up library of what covers reflect from 0.4 to 2.4 µm, with the usual shape of such spectra. Those of Orvane Sound are what the
 * simulator draws with.
 */
final class Signatures
{
    /** Wavelengths in µm at which the covers below are given. */
    private const AT = [
        0.4,
        0.45,
        0.483,
        0.52,
        0.561,
        0.6,
        0.657,
        0.68,
        0.72,
        0.76,
        0.864,
        0.95,
        1.05,
        1.15,
        1.25,
        1.38,
        1.45,
        1.55,
        1.612,
        1.75,
        1.9,
        1.95,
        2.05,
        2.204,
        2.3,
        2.4,
    ];

    /** Reflectance in per mille. */
    private const COVERS = [
        'wet sand' => [55, 75, 88, 104, 122, 138, 158, 165, 175, 183, 198, 200, 205, 200, 203, 172, 120, 158, 172, 160, 70, 62, 98, 112, 98, 80],
        'dry sand' => [120, 165, 195, 230, 268, 302, 340, 352, 372, 388, 420, 436, 452, 460, 470, 462, 450, 488, 500, 505, 455, 450, 485, 498, 478, 455],
        'shingle' => [130, 148, 158, 170, 182, 192, 205, 209, 216, 222, 234, 239, 246, 249, 254, 248, 240, 258, 264, 266, 240, 236, 252, 256, 248, 238],
        'chalk' => [560, 640, 680, 715, 745, 765, 785, 790, 800, 808, 825, 830, 838, 836, 838, 815, 770, 812, 825, 815, 720, 708, 760, 772, 735, 700],
        'moist clay' => [45, 62, 73, 87, 108, 132, 162, 172, 190, 205, 238, 248, 262, 265, 272, 240, 178, 240, 260, 255, 130, 120, 178, 168, 172, 140],
        'peat' => [28, 33, 36, 40, 45, 51, 62, 67, 78, 90, 125, 146, 170, 185, 205, 190, 140, 190, 210, 205, 95, 90, 140, 160, 148, 120],
        'straw' => [75, 110, 135, 165, 200, 235, 275, 288, 322, 345, 385, 402, 430, 428, 445, 430, 345, 405, 425, 405, 270, 262, 290, 300, 268, 235],
        'heather' => [22, 28, 32, 38, 50, 55, 60, 60, 110, 175, 235, 248, 262, 255, 262, 210, 140, 185, 200, 190, 85, 78, 105, 118, 105, 85],
        'spruce' => [14, 18, 21, 27, 40, 34, 26, 24, 85, 195, 238, 235, 245, 210, 218, 140, 72, 105, 118, 108, 38, 34, 48, 56, 48, 38],
        'young wheat' => [26, 32, 37, 54, 92, 70, 45, 38, 160, 390, 455, 445, 462, 405, 418, 265, 125, 205, 235, 220, 62, 55, 95, 118, 98, 75],
        'rape in flower' => [40, 60, 85, 160, 235, 245, 215, 190, 290, 420, 470, 462, 476, 425, 438, 300, 165, 240, 268, 252, 90, 80, 120, 142, 120, 95],
        'reed' => [32, 40, 46, 60, 85, 82, 78, 74, 150, 245, 300, 300, 312, 290, 298, 220, 130, 190, 210, 198, 80, 74, 115, 130, 115, 92],
        'seaweed' => [20, 24, 27, 33, 42, 48, 50, 42, 95, 160, 190, 150, 170, 105, 110, 50, 22, 40, 48, 40, 14, 12, 20, 24, 20, 16],
        'snow' => [940, 950, 952, 953, 952, 948, 938, 932, 918, 905, 850, 790, 690, 620, 520, 260, 80, 95, 120, 140, 40, 35, 60, 75, 50, 40],
        'cloud' => [640, 655, 660, 664, 668, 670, 674, 675, 678, 680, 684, 670, 678, 640, 650, 520, 430, 515, 540, 520, 330, 320, 400, 420, 390, 350],
        'asphalt' => [55, 62, 66, 71, 76, 81, 88, 90, 94, 97, 104, 108, 113, 116, 120, 124, 126, 131, 134, 138, 138, 139, 143, 146, 144, 142],
        'concrete' => [180, 215, 236, 258, 280, 297, 318, 324, 334, 341, 355, 360, 366, 366, 370, 358, 338, 362, 370, 368, 320, 314, 340, 345, 330, 315],
        'roof tiles' => [42, 52, 60, 78, 112, 185, 245, 258, 275, 283, 300, 312, 330, 338, 348, 345, 340, 362, 370, 374, 352, 350, 368, 365, 355, 345],
    ];

    /** CSV: a wavelength a line, every 10 nm. */
    public static function csv(): string
    {
        $curves = [];
        foreach (Cover::cases() as $cover) {
            $curves[$cover->label()] = self::ofCover($cover);
        }
        foreach (self::COVERS as $name => $values) {
            $curves[$name] = array_map(fn (int $value): float => $value / 1000, $values);
        }
        $lines = [implode(',', ['wavelength_um', ...array_keys($curves)])];
        for ($nm = 400; $nm <= 2400; $nm += 10) {
            $lines[] = implode(',', [
                sprintf('%.2f', $nm / 1000),
                ...array_map(fn (array $curve): string => sprintf('%.4f', self::between($curve, $nm / 1000)), array_values($curves)),
            ]);
        }

        return implode("\n", $lines)."\n";
    }

    public static function write(string $path): void
    {
        Files::write($path, self::csv());
    }

    /**
     * The shape of a cover like it, bent so that it goes through what the simulator draws in each band.
     *
     * @return list<float>
     */
    private static function ofCover(Cover $cover): array
    {
        $like = match ($cover) {
            Cover::Deep, Cover::Shallow => null,
            Cover::Flat => 'wet sand',
            Cover::Marsh => 'reed',
            Cover::Pasture, Cover::Crop => 'young wheat',
            Cover::Soil => 'moist clay',
            Cover::Wood => 'spruce',
            Cover::Town => 'concrete',
            Cover::Quarry => 'shingle',
        };
        $bands = [0.483, 0.561, 0.657, 0.864, 1.612, 2.204];
        $shape = $like === null ? array_fill(0, count(self::AT), 1000) : self::COVERS[$like];
        $ratios = [];
        foreach ($bands as $i => $band) {
            $ratios[] = $cover->spectrum()[$i] / ($shape[(int) array_search($band, self::AT, true)] / 1000);
        }

        return array_map(fn (float $at, int $value): float => $value / 1000 * self::between($ratios, $at, $bands), self::AT, $shape);
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $at
     */
    private static function between(array $values, float $x, array $at = self::AT): float
    {
        $last = count($at) - 1;
        if ($x <= $at[0] || $x >= $at[$last]) {
            return $values[$x <= $at[0] ? 0 : $last];
        }
        $i = 1;
        while ($at[$i] < $x) {
            $i++;
        }

        return $values[$i - 1] + ($values[$i] - $values[$i - 1]) * ($x - $at[$i - 1]) / ($at[$i] - $at[$i - 1]);
    }
}
