<?php

namespace Chorometra\Core\Classify\Training;

use Chorometra\Core\Classify\Cases\Areas;
use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Model;
use Random\Engine\Xoshiro256StarStar;
use Random\Randomizer;

/**
 * What areas that were kept out of teaching say of a model. Whole areas are kept out, since neighbouring pixels are alike. It is agreement, not the
 * accuracy of a map: areas are chosen, not drawn.
 *
 * Sources: the interval is Wilson's (1927, Journal of the American Statistical Association 22:209–212) with the effective number of cases of Korn &
 * Graubard 1998, Survey Methodology 24:193–201, from the variance of a ratio between areas as clusters (Cochran 1977, Sampling Techniques, section
 * 2.11); what a band matters by permutation: Breiman 2001, Machine Learning 45:5–32.
 */
final class HeldBack
{
    public const WAYS = ['as-fits', 'hold-back', 'folds', 'none'];

    /** Areas of each class from which on some are held back rather than all in turns. */
    private const ENOUGH = 10;

    /** Cases that a band is judged by. */
    private const JUDGED = 4000;

    private const Z = 1.959963984540054;

    /** @var list<array{area: int, truth: int, found: int}> cases that were asked; found is −1 where they got no class */
    private array $asked = [];

    /** @var list<array{Model, Samples}> what was taught in each turn, and what was held back from it */
    private array $turns = [];

    /** @param  list<string>  $names  of the classes */
    public function __construct(private readonly array $names) {}

    /**
     * Which areas are held back, turn by turn; none where there are too few.
     *
     * @return array{string, list<list<int>>} the way, and numbers of areas
     */
    public static function turns(Samples $samples, string $way, float $share, int $folds, int $seed): array
    {
        $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', "held back $seed", true)));
        $classes = array_fill(0, count($samples->legend->classes), []);
        foreach ($samples->areas as $case => $area) {
            $classes[$samples->answers[$case]][$area] = true;
        }
        $areas = array_map(function (array $some) use ($random): array {
            $some = array_keys($some);
            sort($some);

            return $random->shuffleArray($some);
        }, $classes);
        $fewest = min(array_map(count(...), $areas));
        $most = max(array_map(count(...), $areas));
        if ($way === 'as-fits') {
            $way = $fewest >= self::ENOUGH ? 'hold-back' : 'folds';
        }
        if ($way === 'none' || $most < 2) {
            return ['none', []];
        }
        if ($way === 'hold-back') {
            $held = [];
            foreach ($areas as $some) {
                // one stays at least, and where there is but one it stays
                $number = min(count($some) - 1, max(1, (int) round($share * count($some))));
                array_push($held, ...array_slice($some, 0, max(0, $number)));
            }

            return [$way, [$held]];
        }
        $turns = array_fill(0, min($folds, $most), []);
        $next = 0;
        foreach ($areas as $some) {
            foreach (count($some) < 2 ? [] : $some as $area) {
                $turns[$next++ % count($turns)][] = $area;
            }
        }

        return [$way, array_values(array_filter($turns))];
    }

    /** @param  Samples  $held  that $model was not taught on */
    public function ask(Model $model, Samples $held): void
    {
        $places = array_flip($model->legend->codes());
        foreach ($model->classifier(255)->assign($held->columns, $held->count())->codes as $case => $code) {
            $this->asked[] = ['area' => $held->areas[$case], 'truth' => $held->answers[$case], 'found' => $places[$code] ?? -1];
        }
        $this->turns[] = [$model, $held];
    }

    /** @return array{agreement: float, interval: array{float, float}, areas: int, cases: int}|null null where nothing was held back */
    public function overall(): ?array
    {
        return $this->agreement(array_map(fn (array $one): array => [$one['area'], $one['truth'] === $one['found']], $this->asked));
    }

    /** @return list<array<string, mixed>> rows as the map says, columns as the areas say, in cases */
    public function matrix(): array
    {
        $counts = [];
        foreach ($this->asked as ['truth' => $truth, 'found' => $found]) {
            $counts[$found][$truth] = ($counts[$found][$truth] ?? 0) + 1;
        }
        $rows = [];
        foreach ([...array_keys($this->names), -1] as $found) {
            if ($found < 0 && ! isset($counts[-1])) {
                continue;
            }
            $row = ['map' => $this->names[$found] ?? 'unlabelled'];
            foreach ($this->names as $truth => $name) {
                $row[$name] = $counts[$found][$truth] ?? 0;
            }
            $rows[] = $row;
        }

        return $this->asked === [] ? [] : $rows;
    }

    /** @return list<array{class: string, areas: int, cases: int, found: float|null, right: float|null}> */
    public function byClass(): array
    {
        $rows = [];
        foreach ($this->names as $class => $name) {
            $own = array_filter($this->asked, fn (array $one): bool => $one['truth'] === $class);
            $said = array_filter($this->asked, fn (array $one): bool => $one['found'] === $class);
            $right = count(array_filter($own, fn (array $one): bool => $one['found'] === $class));
            $rows[] = [
                'class' => $name,
                'areas' => count(array_unique(array_column($own, 'area'))),
                'cases' => count($own),
                'found' => $own === [] ? null : $right / count($own),
                'right' => $said === [] ? null : $right / count($said),
            ];
        }

        return $rows;
    }

    /**
     * By how much agreement falls when the values of a band are dealt out anew.
     *
     * @param  list<string>  $bands
     * @return list<array{band: string, lost: float}> the most important first
     */
    public function importance(array $bands, int $seed): array
    {
        $lost = array_fill(0, count($bands), 0.0);
        $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', "importance $seed", true)));
        $all = 0;
        foreach ($this->turns as [$model, $held]) {
            $some = $held->atMost((int) ceil(self::JUDGED / count($this->turns) / count($this->names)));
            $classifier = $model->classifier(255);
            $right = self::right($model, $classifier->assign($some->columns, $some->count())->codes, $some->answers);
            $all += $some->count();
            foreach (array_keys($bands) as $band) {
                $columns = $some->columns;
                $columns[$band] = $random->shuffleArray($columns[$band]);
                $lost[$band] += $right - self::right($model, $classifier->assign($columns, $some->count())->codes, $some->answers);
            }
        }
        $rows = array_map(fn (string $band, float $less): array => ['band' => $band, 'lost' => $less / max(1, $all)], $bands, $lost);
        usort($rows, fn (array $one, array $other): int => $other['lost'] <=> $one['lost']);

        return $all === 0 ? [] : $rows;
    }

    /**
     * @param  list<array{int, bool}>  $cases  area, and whether it agrees
     * @return array{agreement: float, interval: array{float, float}, areas: int, cases: int}|null
     */
    private function agreement(array $cases): ?array
    {
        if ($cases === []) {
            return null;
        }
        $areas = [];
        foreach ($cases as [$area, $agrees]) {
            $areas[$area] ??= [0, 0];
            $areas[$area][0]++;
            $areas[$area][1] += $agrees ? 1 : 0;
        }
        $number = count($areas);
        $all = count($cases);
        $share = (float) array_sum(array_column($areas, 1)) / $all;
        $squares = array_sum(array_map(fn (array $one): float => ($one[1] - $share * $one[0]) ** 2, $areas));
        $variance = $number > 1 ? $number / ($number - 1) * $squares / $all ** 2 : 0.0;
        // where all agree nothing varies, and each area counts as one case
        $effective = $variance > 0.0 ? min((float) $all, $share * (1.0 - $share) / $variance) : (float) $number;

        return ['agreement' => $share, 'interval' => self::wilson($share, max(1.0, $effective)), 'areas' => $number, 'cases' => $all];
    }

    /** @return array{float, float} of 95 % */
    public static function wilson(float $share, float $cases): array
    {
        $square = self::Z ** 2 / $cases;
        $middle = ($share + 0.5 * $square) / (1.0 + $square);
        $half = self::Z / (1.0 + $square) * sqrt($share * (1.0 - $share) / $cases + 0.25 * $square / $cases);

        return [max(0.0, $middle - $half), min(1.0, $middle + $half)];
    }

    /**
     * @param  list<int>  $codes
     * @param  list<int>  $answers
     */
    private static function right(Model $model, array $codes, array $answers): int
    {
        $names = $model->legend->codes();
        $right = 0;
        foreach ($codes as $case => $code) {
            $right += $code === $names[$answers[$case]] ? 1 : 0;
        }

        return $right;
    }
}
