<?php

namespace Chorometra\Core\Arithmetic;

use Chorometra\Core\Work\Kernel;

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
        [$sums, $bands] = [count($weights), count($weights[0])];
        $kernel = Kernel::of('array $in, int $n, array $weights, array $offsets')->each($bands, '$b# = $in[#];')->each($sums, '$o# = array_fill(0, $n, 0.0);');
        foreach (array_keys($weights) as $sum) {
            $kernel->text("\$c$sum = \$offsets[$sum];")->each($bands, "\$w{$sum}_# = \$weights[$sum][#];");
        }
        $loop = $kernel
            ->loop(function (Kernel $each) use ($sums, $bands): void {
                $each->each($bands, '$v# = $b#[$i];');
                for ($sum = 0; $sum < $sums; $sum++) {
                    $each->text("\$o{$sum}[\$i] = \$c$sum + ".Kernel::joined($bands, "\$w{$sum}_# * \$v#").';');
                }
            })
            ->text('return ['.Kernel::joined($sums, '$o#', ', ').'];')
            ->compile();

        return fn (array $values, int $count): array => $loop($values, $count, $weights, $offsets);
    }
}
