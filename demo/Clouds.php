<?php

namespace Chorometra\Demo;

/** Clouds over a scene: how dense they are at each pixel, and how much of the light their shadows take. */
final readonly class Clouds
{
    /** How high they float, in metres. */
    private const HEIGHT = 1400.0;

    /**
     * @param  list<float>  $density  0 to 1
     * @param  list<float>  $shadow  0 to 1
     */
    private function __construct(public array $density, public array $shadow) {}

    /**
     * @param  int  $n  pixels on a side
     * @param  float  $pixel  in metres
     * @param  float  $share  of the scene that is covered
     */
    public static function over(int $n, float $pixel, float $share, float $sunElevation, float $sunAzimuth, int $seed): ?self
    {
        if ($share <= 0.0) {
            return null;
        }
        $scale = 10 / $pixel;
        $field = Noise::field($n, $n, [(int) max(4, 230 * $scale) => 0.5, (int) max(3, 95 * $scale) => 0.3, (int) max(2, 33 * $scale) => 0.2], $seed);
        $sorted = [];
        for ($i = 0, $count = count($field); $i < $count; $i += 97) {
            $sorted[] = $field[$i];
        }
        sort($sorted);
        $limit = $sorted[(int) min(count($sorted) - 1, (1 - min(0.98, $share)) * count($sorted))];
        foreach ($field as $k => $value) {
            $density = ($value - $limit) / 0.05;
            $field[$k] = $density < 0.0 ? 0.0 : ($density > 1.0 ? 1.0 : $density);
        }
        // away from the sun
        $far = self::HEIGHT / tan(deg2rad(max(8.0, $sunElevation))) / $pixel;
        $dx = (int) round(-$far * sin(deg2rad($sunAzimuth)));
        $dy = (int) round($far * cos(deg2rad($sunAzimuth)));
        $shadow = array_fill(0, $n * $n, 0.0);
        for ($y = 0; $y < $n; $y++) {
            $from = $y - $dy;
            if ($from < 0 || $from >= $n) {
                continue;
            }
            for ($x = max(0, $dx), $end = min($n, $n + $dx); $x < $end; $x++) {
                $shadow[$y * $n + $x] = $field[$from * $n + $x - $dx];
            }
        }

        return new self($field, $shadow);
    }

    /**
     * @param  list<float>  $values  reflectance
     * @return list<float>
     */
    public function on(array $values, float $bright): array
    {
        foreach ($values as $k => $value) {
            $lit = $value * (1.0 - 0.55 * $this->shadow[$k]);
            $values[$k] = $lit + $this->density[$k] * ($bright - $lit);
        }

        return $values;
    }
}
