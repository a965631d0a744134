<?php

namespace Chorometra\Core\Assess\Check;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;

/** What check points were drawn from: that is what weighs them, whatever the map says now. */
final readonly class Strata
{
    /**
     * @param  list<string>  $names
     * @param  list<float>  $weights  shares of all ground
     * @param  list<int>  $places  of each point its stratum
     * @param  list<string>  $notes  what is to be said of it
     * @param  bool  $haveUnlabelled  whether points stand for unlabelled ground too
     */
    private function __construct(
        public array $names,
        public array $weights,
        public array $places,
        public array $notes,
        public bool $haveUnlabelled = false,
    ) {}

    /**
     * Strata and shares as the points tell them; else the classes of the map that they name; else those that the map has at the points.
     *
     * @param  list<array{stratum?: string|null, share?: float|null, design?: string|null, unlabelled?: bool, ...}>  $points  all of them, labelled or not
     * @param  list<int|null>  $mapped  the map's code at each
     *
     * @throws Problem where two points tell different shares of one stratum
     */
    public static function of(array $points, array $mapped, Legend $legend, ClassCounts $counts): self
    {
        $notes = in_array('systematic', array_column($points, 'design'), true)
            ? ['Systematic points are analysed as if random: the intervals are conservative.']
            : [];
        $telling = count(array_filter($points, fn (array $point): bool => isset($point['share'])));
        if ($telling > 0 && $telling === count($points)) {
            return self::drawn($points, $notes);
        }
        if ($telling > 0) {
            $notes[] = "$telling of ".count($points).' points have a share of the area: all are weighted by the classes of the map instead.';
        }

        return self::classes($points, $mapped, $legend, $counts, $notes);
    }

    /**
     * What strata with too few labelled points take away.
     *
     * @param  list<array<int, array<int, int>>>  $matrices
     * @return list<string>
     */
    public function few(array $matrices): array
    {
        $empty = $single = [];
        foreach ($matrices as $h => $matrix) {
            $points = array_sum(array_map(array_sum(...), $matrix));
            if ($this->weights[$h] > 0.0 && $points < 2) {
                $points === 0 ? $empty[] = $this->names[$h] : $single[] = $this->names[$h];
            }
        }
        $notes = [];
        if ($empty !== []) {
            $notes[] = 'No labelled point in: '.implode(', ', $empty).'. Estimates for the whole map need at least one.';
        } elseif ($single !== []) {
            $notes[] = 'Only one labelled point in: '.implode(', ', $single)
                .'. Intervals that involve all strata (overall accuracy, kappa, F1, producer’s accuracy, areas) need two.';
        }

        return $notes;
    }

    /**
     * @param  list<array{stratum?: string|null, share?: float|null, unlabelled?: bool, ...}>  $points
     * @param  list<string>  $notes
     */
    private static function drawn(array $points, array $notes): self
    {
        $shares = $places = $place = [];
        foreach ($points as $point) {
            $name = $point['stratum'] ?? 'the whole map';
            $share = $point['share'] ?? 0.0;
            if (abs(($shares[$name] ?? $share) - $share) > 1e-9) {
                throw Problem::input("The points have two shares of the stratum “{$name}”: {$shares[$name]} and $share. Use points of one sample.", 'points');
            }
            $shares[$name] ??= $share;
            $places[] = $place[$name] ??= count($place);
        }
        $rest = 1.0 - array_sum($shares);
        if ($rest < -1e-6) {
            throw Problem::input(sprintf('The strata of the points cover %.4g %% of the area: use points of one sample.', 100 - 100 * $rest), 'points');
        }
        // strata so small that no point was drawn from them
        $shares += $rest > 1e-9 ? ['strata without a point' => $rest] : [];

        $haveUnlabelled = array_filter(array_column($points, 'unlabelled')) !== [];

        return new self(array_map(strval(...), array_keys($shares)), array_values($shares), $places, $notes, $haveUnlabelled);
    }

    /**
     * @param  list<array{stratum?: string|null, ...}>  $points
     * @param  list<int|null>  $mapped
     * @param  list<string>  $notes
     */
    private static function classes(array $points, array $mapped, Legend $legend, ClassCounts $counts, array $notes): self
    {
        $codes = array_keys($counts->pixels);
        $place = array_flip($codes);
        $places = [];
        $strange = [];
        foreach ($points as $i => $point) {
            $stratum = $point['stratum'] ?? null;
            $code = $stratum === null ? null : $legend->codeOf($stratum);
            if ($stratum !== null && ! isset($place[$code ?? -1])) {
                $strange[$stratum] = true;
            }
            $places[] = $place[$code ?? -1] ?? $place[$mapped[$i] ?? -1] ?? -1;
        }
        if ($strange !== []) {
            $notes[] = 'Strata that are not classes of the map and have no share of the area: '.implode(', ', array_keys($strange))
                .'. Their points are weighted by their map class.';
        }
        $all = array_sum($counts->weights());

        return new self(
            array_map($legend->name(...), $codes),
            array_map(fn (float $weight): float => $all > 0.0 ? $weight / $all : 0.0, array_values($counts->weights())),
            $places,
            $notes,
        );
    }
}
