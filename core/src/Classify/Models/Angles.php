<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Work\GeneratedCode;

/** The class whose mean points nearly the same way: how bright a case is does not matter. */
final readonly class Angles implements Assigner
{
    /** @var list<list<float>> of length 1, by class */
    private array $directions;

    /**
     * @param  list<int>  $codes  by class
     * @param  list<list<float>>  $means  none of them 0 in all bands
     * @param  float|null  $reject  degrees beyond which a case belongs nowhere
     */
    public function __construct(private array $codes, private int $nodata, array $means, private ?float $reject)
    {
        $this->directions = array_map(function (array $mean): array {
            $length = sqrt(array_sum(array_map(fn (float $value): float => $value * $value, $mean)));

            return array_map(fn (float $value): float => $value / $length, $mean);
        }, $means);
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        if (! $tells && $this->reject === null) {
            return new Assigned(GeneratedCode::load($this->codesOnly(count($columns)))($columns, $count));
        }
        [$squares, $best, $second, $at] = GeneratedCode::load($this->code(count($columns)))($columns, $count);
        $codes = $sure = $near = [];
        self::judged($codes, $sure, $near, $squares, $best, $second, $at, $this->codes, $this->nodata, $this->reject === null ? INF : $this->reject, $count,
            $tells || $this->reject !== null);

        return new Assigned($codes, $tells ? $sure : [], $tells ? $near : []);
    }

    /** Where nothing but the class is wanted, how long a case is does not matter. */
    private function codesOnly(int $bands): string
    {
        $start = $fetch = $classes = '';
        $sum = [];
        for ($band = 0; $band < $bands; $band++) {
            $start .= "    \$b$band = \$in[$band];\n";
            $fetch .= "        \$x$band = \$b{$band}[\$i];\n";
            $sum[] = "\$x$band * \$x$band";
        }
        foreach ($this->directions as $class => $direction) {
            $form = self::form($direction);
            $code = $this->codes[$class];
            $classes .= $class === 0
                ? "        \$one = $form;\n        \$code = $code;\n"
                : "        \$p = $form;\n        if (\$p > \$one) { \$one = \$p; \$code = $code; }\n";
        }
        $check = '        $s = '.implode(' + ', $sum).";\n        if (\$s - \$s !== 0.0) { \$out[] = $this->nodata; continue; }\n"
            ."        if (\$s === 0.0) { \$out[] = 0; continue; }\n";

        return "return static function (array \$in, int \$n): array {\n$start    \$out = [];\n    for (\$i = 0; \$i < \$n; ++\$i) {\n$fetch$check$classes"
            ."        \$out[] = \$code;\n    }\n    return \$out;\n};\n";
    }

    /** @param  list<float>  $direction */
    private static function form(array $direction): string
    {
        return implode(' + ', array_map(
            fn (float $part, int $band): string => '('.var_export($part, true).") * \$x$band",
            $direction,
            array_keys($direction),
        ));
    }

    /** Of each case its squared length, the longest and the second of its projections onto the classes' directions, and the class of the longest. */
    private function code(int $bands): string
    {
        $start = $fetch = $sum = $classes = '';
        for ($band = 0; $band < $bands; $band++) {
            $start .= "    \$b$band = \$in[$band];\n";
            $fetch .= "        \$x$band = \$b{$band}[\$i];\n";
            $sum .= ($band === 0 ? '' : ' + ')."\$x$band * \$x$band";
        }
        foreach ($this->directions as $class => $direction) {
            $classes .= '        $p = '.self::form($direction).";\n"
                ."        if (\$p > \$one) { \$two = \$one; \$one = \$p; \$k = $class; } elseif (\$p > \$two) \$two = \$p;\n";
        }

        return "return static function (array \$in, int \$n): array {\n$start    \$squares = []; \$best = []; \$second = []; \$at = [];\n"
            ."    for (\$i = 0; \$i < \$n; ++\$i) {\n$fetch        \$squares[] = $sum;\n        \$one = -INF; \$two = -INF; \$k = 0;\n$classes"
            ."        \$best[] = \$one; \$second[] = \$two; \$at[] = \$k;\n    }\n    return [\$squares, \$best, \$second, \$at];\n};\n";
    }

    /**
     * @param  list<int>  $codes
     * @param  list<float>  $sure
     * @param  list<float>  $near
     * @param  list<float>  $squares
     * @param  list<float>  $best
     * @param  list<float>  $second
     * @param  list<int>  $at
     * @param  list<int>  $names
     */
    private static function judged(
        array &$codes,
        array &$sure,
        array &$near,
        array $squares,
        array $best,
        array $second,
        array $at,
        array $names,
        int $nodata,
        float $reject,
        int $count,
        bool $tells,
    ): void {
        for ($i = 0; $i < $count; $i++) {
            $square = $squares[$i];
            if ($square - $square !== 0.0) {
                $codes[] = $nodata;
                $sure[] = NAN;
                $near[] = NAN;

                continue;
            }
            // what is 0 in all bands points nowhere
            if ($square === 0.0) {
                $codes[] = 0;
                $sure[] = 0.0;
                $near[] = 90.0;

                continue;
            }
            if (! $tells) {
                $codes[] = $names[$at[$i]];

                continue;
            }
            $length = sqrt($square);
            $one = $best[$i] / $length;
            $other = $second[$i] / $length;
            $angle = $one >= 1.0 ? 0.0 : acos($one) * 57.29577951308232;
            $next = $other >= 1.0 ? 0.0 : ($other > -1.0 ? acos($other) * 57.29577951308232 : 180.0);
            $codes[] = $angle <= $reject ? $names[$at[$i]] : 0;
            $sure[] = $next > 0.0 ? 1.0 - $angle / $next : 0.0;
            $near[] = $angle;
        }
    }
}
