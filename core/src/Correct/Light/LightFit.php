<?php

namespace Chorometra\Core\Correct\Light;

/** The line of a band over the light on slopes. */
final class LightFit
{
    /**
     * The line of a band over light, and what the methods take from it.
     *
     * @param  list<float>  $s  sums
     * @return array{slope: float, offset: float, c: float, k: float, mean: float, correlation: float, pixels: int}|null
     */
    public static function through(array $s): ?array
    {
        [$n, $x, $y, $xx, $xy, $yy, $m, $u, $v, $uu, $uv] = $s;
        $spread = $xx - $x * $x / max(1.0, $n);
        $rise = $yy - $y * $y / max(1.0, $n);
        if ($n < 10 || $spread < 1e-9 * $n || $rise < 1e-12 * max(1e-12, $yy)) {
            return null;
        }
        $slope = ($xy - $x * $y / $n) / $spread;
        $offset = ($y - $slope * $x) / $n;
        $logs = $uu - $u * $u / max(1.0, $m);

        return [
            'slope' => $slope, 'offset' => $offset,
            // where a band gets no brighter with light, there is nothing to soften by
            'c' => $slope > 0 && $offset / $slope > 0 ? $offset / $slope : 0.0,
            'k' => $logs > 1e-12 ? max(0.0, min(1.0, ($uv - $u * $v / $m) / $logs)) : 0.0,
            'mean' => $y / $n, 'correlation' => ($xy - $x * $y / $n) / sqrt($spread * $rise), 'pixels' => (int) $n,
        ];
    }
}
