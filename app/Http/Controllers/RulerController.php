<?php

namespace App\Http\Controllers;

use App\Evidence\Ruler;
use App\Models\Item;
use App\Models\Study;
use Illuminate\Http\Request;

/** What a ruler laid over the views says. */
final class RulerController
{
    /** @return array<string, mixed> */
    public function __invoke(Request $request, Study $study): array
    {
        $input = $request->validate([
            'places' => ['required', 'array', 'min:2', 'max:1000'],
            'places.*' => ['array', 'size:2'],
            'places.*.*' => ['numeric'],
            'ring' => ['required', 'boolean'],
            'items' => ['present', 'array', 'max:8'],
            'items.*' => ['integer'],
        ]);
        $items = $study->items()->whereIn('id', $input['items'])->get()->filter(fn (Item $item): bool => $item->isRaster());

        $places = array_map(fn (array $place): array => [(float) $place[0], (float) $place[1]], array_values($input['places']));

        return Ruler::of($study, $places, $input['ring'], $items);
    }
}
