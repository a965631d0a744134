<?php

namespace App\Http\Controllers;

use Chorometra\Core\Step\Grids;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Registry;

final class KindController
{
    /** @return list<array<string, mixed>> */
    public function __invoke(): array
    {
        return array_values(array_map(fn (Kind $kind): array => $kind->declaration()->toArray() + ['triable' => $this->triable($kind)], Registry::all()));
    }

    /** A trial makes sense where a raster goes in, or several on one grid, and one comes out. */
    private function triable(Kind $kind): bool
    {
        $declaration = $kind->declaration();

        return $declaration->inputs !== [] &&
            $declaration->inputs[0]->type->isRaster() &&
            (! $declaration->inputs[0]->many || $declaration->desk->grids === Grids::One) &&
            $declaration->outputs[0]->type->isRaster() &&
            $declaration->stage->value !== 'deliver';
    }
}
