<?php

namespace App\Http\Controllers;

use App\Models\Item;
use App\Support\Outgoing;
use App\Support\PegSpectra;
use App\Support\Services;
use Chorometra\Core\Format\Web\PlaceService;
use Illuminate\Http\Request;

/** The air over a scene: as a service tells it, and what it does to the spectra at the pegs. */
final class AirController
{
    /**
     * Settings of correct.surface to start from.
     *
     * @return array<string, float|string|null>
     */
    public function show(Item $item): array
    {
        abort_unless($item->isRaster(), 404);
        $image = $item->image();
        $found = Outgoing::ask(fn (): array => (new PlaceService(Services::atmosphere()))->over($image->spec(), $image->name()));

        return ['aot550' => $found['aot550'] ?? null, 'water-vapour' => $found['water'] ?? null, 'ozone' => $found['ozone'] ?? null, 'elevation' => $found['elevation'] ?? null, 'aerosol' => $found['aerosol'] ?? null];
    }

    /** @return array<string, mixed> */
    public function spectra(Request $request, Item $item): array
    {
        $study = $item->study;
        if (! $item->isRaster() || $study === null) {
            abort(404);
        }

        return PegSpectra::of($study, $item, $request->validate(['settings' => ['present', 'array']])['settings']);
    }
}
