<?php

namespace App\Http\Controllers;

use App\Models\Drawing;
use App\Models\Item;
use App\Steps\Interrupted;
use App\Studies\Drawn;
use App\Studies\Kept;
use App\Studies\StudyLegend;
use Chorometra\Core\Classify\Cases\Areas;
use Chorometra\Core\Classify\Maps\Differences;
use Chorometra\Core\Classify\Training\AreaCodes;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Work\Context;

/** What is read off class maps: how two differ, and what one holds of training areas. */
final class ClassMapController
{
    /** @return list<array{one: string, other: string, pixels: int, hectares: float|null}> */
    public function differs(Item $item, Item $other): array
    {
        [$one, $two] = array_map($this->map(...), [$item, $other]);
        if ($other->study_id !== $item->study_id) {
            throw Problem::call('The other map is of another study.', 'other');
        }

        return Kept::of($item, "differs/$other->id", function () use ($one, $two): array {
            $context = new Context(config()->integer('chorometra.workers'), Interrupted::temporary());
            try {
                return Differences::of($one, $two, $context);
            } finally {
                $context->clean();
            }
        });
    }

    /** @return list<array{class: string, codes: list<array{code: int, pixels: int}>}> */
    public function held(Item $item, Drawing $drawing): array
    {
        $map = $this->map($item);
        if ($drawing->study_id !== $item->study_id) {
            throw Problem::call('The areas are of another study.', 'drawing');
        }
        $context = new Context(1, Interrupted::temporary());
        try {
            $path = $context->folder().'/areas.geojson';
            Drawn::write($drawing, $path);
            $rows = [];
            foreach (AreaCodes::of(Areas::read($path, $map->spec()->grid, 'class'), $map) as $class => $counts) {
                arsort($counts);
                $rows[] = ['class' => (string) $class, 'codes' => array_map(
                    fn (int $code, int $pixels): array => ['code' => $code, 'pixels' => $pixels], array_keys($counts), $counts,
                )];
            }

            return $rows;
        } finally {
            $context->clean();
        }
    }

    private function map(Item $item): Image
    {
        if ($item->type !== 'classes' || $item->study === null) {
            throw Problem::call('This item is not a class map.', 'item');
        }

        return StudyLegend::seen($item->study, $item->image());
    }
}
