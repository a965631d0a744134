<?php

namespace Chorometra\Core\Arithmetic;

use Chorometra\Core\Work\GeneratedCode;

/** Weighted sums of bands, several at once: generated, so that each value is fetched once for some of them. NaN in one band is NaN in all sums. */
final class LinearForms
{
    /** Sums made in one loop. */
    private const AT_ONCE = 6;

    /**
     * @param  list<list<float>>  $weights  of each sum, by band
     * @param  list<float>  $offsets  added to each sum
     * @return \Closure(list<list<float>>, int): list<list<float>> from the bands and their length to the sums
     */
    public static function of(array $weights, array $offsets): \Closure
    {
        $loops = array_map(self::loop(...), array_chunk($weights, self::AT_ONCE), array_chunk($offsets, self::AT_ONCE));

        return fn (array $bands, int $count): array => array_merge(...array_map(fn (\Closure $loop): array => $loop($bands, $count), $loops));
    }

    /**
     * @param  list<list<float>>  $weights
     * @param  list<float>  $offsets
     */
    private static function loop(array $weights, array $offsets): \Closure
    {
        $bind = $take = $made = $out = '';
        foreach (array_keys($weights[0]) as $band) {
            $bind .= "    \$b$band = \$in[$band];\n";
            $take .= "        \$v$band = \$b{$band}[\$i];\n";
        }
        foreach ($weights as $sum => $row) {
            $terms = array_map(fn (int $band, float $weight): string => self::number($weight)." * \$v$band", array_keys($row), $row);
            $bind .= "    \$o$sum = array_fill(0, \$n, 0.0);\n";
            $made .= "        \$o{$sum}[\$i] = ".self::number($offsets[$sum]).' + '.implode(' + ', $terms).";\n";
            $out .= "\$o$sum, ";
        }

        return GeneratedCode::load("return static function (array \$in, int \$n): array {\n$bind    for (\$i = 0; \$i < \$n; ++\$i) {\n$take$made"
            ."    }\n    return [$out];\n};\n");
    }

    private static function number(float $value): string
    {
        return '('.var_export($value, true).')';
    }
}
