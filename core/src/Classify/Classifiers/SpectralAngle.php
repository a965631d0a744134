<?php

namespace Chorometra\Core\Classify\Classifiers;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Assigned;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Classify\Models\Method;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Problem;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Kernel;

/** The class whose mean points nearly the same way: how bright a case is does not matter. */
final readonly class SpectralAngle implements Classifier
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

    public static function method(): Method
    {
        return new Method(
            'spectral-angle',
            4,
            'smallest spectral angle to the class mean; insensitive to brightness and shade',
            'Kruse et al. 1993, Remote Sensing of Environment 44:145–163 (spectral angle)',
            [Setting::number('most-degrees', null, 'Leaves pixels unlabelled whose spectral angle to their class is larger.', 'degrees', 0, 180)],
            'most-degrees',
            distance: ['angle', 'degrees'],
        );
    }

    public static function learn(Samples $samples, Training $training, Context $context): array
    {
        $means = array_map(fn (Comoments $class): array => $class->means, $samples->comoments());
        foreach ($means as $class => $mean) {
            if (array_filter($mean) === []) {
                throw Problem::input("Class “{$samples->names()[$class]}” is 0 in all bands, and so has no direction.", 'areas');
            }
        }

        return ['means' => $means];
    }

    public static function restore(Model $model, int $nodata): self
    {
        $means = $model->table('means', count($model->codes()), count($model->bands));
        foreach ($means as $mean) {
            if (array_filter($mean) === []) {
                throw Problem::input('a class that is 0 in all bands has no direction.');
            }
        }

        return new self($model->codes(), $nodata, $means, $model->limit());
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        if (! $tells && $this->reject === null) {
            return new Assigned($this->codesOnly(count($columns))($columns, $count, $this->directions, $this->codes, $this->nodata));
        }
        [$squares, $best, $second, $at] = $this->projected(count($columns))($columns, $count, $this->directions);
        $codes = $sure = $near = [];
        self::judged($codes, $sure, $near, $squares, $best, $second, $at, $this->codes, $this->nodata, $this->reject === null ? INF : $this->reject, $count,
            $tells || $this->reject !== null);

        return new Assigned($codes, $tells ? $sure : [], $tells ? $near : []);
    }

    /** Where nothing but the class is wanted, how long a case is does not matter. */
    private function codesOnly(int $bands): \Closure
    {
        return $this->start($bands, 'array $in, int $n, array $directions, array $codes, int $nodata')
            ->text('$out = [];')
            ->loop(function (Kernel $case) use ($bands): void {
                $this->fetch($case, $bands)->text(<<<'PHP'
                    if ($s - $s !== 0.0) { $out[] = $nodata; continue; }
                    if ($s === 0.0) { $out[] = 0; continue; }
                    $one = -INF; $k = 0;
                    PHP);
                foreach (array_keys($this->directions) as $class) {
                    $case->text('$p = '.self::form($class, $bands)."; if (\$p > \$one) { \$one = \$p; \$k = $class; }");
                }
                $case->text('$out[] = $codes[$k];');
            })
            ->text('return $out;')
            ->compile();
    }

    /** Of each case its squared length, the longest and the second of its projections onto the classes' directions, and the class of the longest. */
    private function projected(int $bands): \Closure
    {
        return $this->start($bands, 'array $in, int $n, array $directions')
            ->text('$squares = []; $best = []; $second = []; $at = [];')
            ->loop(function (Kernel $case) use ($bands): void {
                $this->fetch($case, $bands)->text('$one = -INF; $two = -INF; $k = 0;');
                foreach (array_keys($this->directions) as $class) {
                    $case->text('$p = '.self::form($class, $bands)
                        ."; if (\$p > \$one) { \$two = \$one; \$one = \$p; \$k = $class; } elseif (\$p > \$two) \$two = \$p;");
                }
                $case->text('$squares[] = $s; $best[] = $one; $second[] = $two; $at[] = $k;');
            })
            ->text('return [$squares, $best, $second, $at];')
            ->compile();
    }

    /** @param  literal-string  $parameters */
    private function start(int $bands, string $parameters): Kernel
    {
        $kernel = Kernel::of($parameters)->each($bands, '$b# = $in[#];');
        foreach (array_keys($this->directions) as $class) {
            $kernel->each($bands, "\$d{$class}_# = \$directions[$class][#];");
        }

        return $kernel;
    }

    private function fetch(Kernel $case, int $bands): Kernel
    {
        return $case->each($bands, '$x# = $b#[$i];')->text('$s = '.Kernel::joined($bands, '$x# * $x#').';');
    }

    /** The projection of a case onto a class's direction. */
    private static function form(int $class, int $bands): string
    {
        return Kernel::joined($bands, "\$d{$class}_# * \$x#");
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
