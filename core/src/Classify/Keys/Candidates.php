<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Arithmetic\Indices;
use Chorometra\Core\Classify\Cases\SegmentCases;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Regions\Measures\MeasureFormula;
use Chorometra\Core\Stats\Roc;
use Chorometra\Core\Step\NamedImages;

/** Measures that may tell segments apart: bands, indices, what changed between two dates, shapes. */
final class Candidates
{
    private const MOST = 12;

    private const SHAPES = ['area', 'compactness', 'elongation'];

    /** Indices that say something of most scenes, in the order in which they are wanted. */
    private const INDICES = ['ndvi', 'ndwi', 'mndwi', 'ndmi', 'ndbi', 'bsi', 'savi', 'nbr'];

    /**
     * By the area under the ROC curve, furthest from one half first, each with the limit that parts the groups best.
     *
     * @param  list<int>  $one  places of segments
     * @param  list<int>  $other
     * @return list<array{measure: string, area: float, limit: float|null}>
     */
    public static function ranked(SegmentCases $pieces, ?NamedImages $images, array $one, array $other): array
    {
        $measures = [...$images === null ? [] : self::of($images), ...self::SHAPES];
        array_map($pieces->check(...), $measures);
        $found = [];
        foreach ($measures as $measure) {
            try {
                $values = $pieces->column($measure)['values'];
            } catch (Problem) {
                continue;
            }
            $groups = array_map(fn (array $places): array => array_map(fn (int $place): float => $values[$place], $places), [$one, $other]);
            $area = Roc::area(...$groups);
            if ($area !== null) {
                $found[] = ['measure' => $measure, 'area' => $area, 'limit' => Roc::limit(...$groups)];
            }
        }
        // stable: of those alike the plainer comes first
        usort($found, fn (array $a, array $b): int => abs($b['area'] - 0.5) <=> abs($a['area'] - 0.5));

        return array_slice($found, 0, self::MOST);
    }

    /** @return list<string> */
    public static function of(NamedImages $images): array
    {
        $measures = [];
        $isOne = count($images->images) === 1;
        $byImage = [];
        foreach ($images->images as $name => $image) {
            foreach (self::indices($image) as $index) {
                $byImage[$index][] = $measures[] = $isOne ? "$index()" : "$index($name)";
            }
            foreach ($image->spec()->bands as $band => $told) {
                $called = $images->called($name, $band);
                $measures[] = "mean($called)";
                if ($told->role !== null) {
                    $byImage[$told->role][] = $called;
                }
            }
        }
        foreach ($byImage as $same) {
            if (count($same) === 2) {
                $measures[] = "$same[0] - $same[1]";
            }
        }

        return $measures;
    }

    /** @return list<string> that an image has the bands for */
    private static function indices(Image $image): array
    {
        $roles = array_map(fn (Band $band): ?string => $band->role, $image->spec()->bands);

        return array_values(array_filter(self::INDICES, function (string $index) use ($roles): bool {
            foreach (MeasureFormula::of(Indices::TABLE[$index][1])->reads as $wish) {
                if (! in_array($wish->of, $roles, true)) {
                    return false;
                }
            }

            return true;
        }));
    }
}
