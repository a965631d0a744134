<?php

namespace App\Http\Controllers;

use App\Evidence\Looks;
use App\Evidence\PegSpectra;
use App\Models\Item;
use App\Services\Addresses;
use App\Services\Outgoing;
use Chorometra\Core\Correct\Air\ThroughAir;
use Chorometra\Core\Format\Web\PlaceService;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Registry;
use Illuminate\Http\Request;

/** The air over a scene: as a service tells it, and what it does to the spectra at the pegs. */
final class AirController
{
    /**
     * Settings of the air to start from.
     *
     * @return array<string, float|string|null>
     */
    public function show(Item $item): array
    {
        abort_unless($item->isRaster(), 404);
        $image = $item->image();
        $found = Outgoing::ask(fn (): array => (new PlaceService(Addresses::atmosphere()))->over($image->spec(), $image->name()));

        return [
            'aot550' => $found['aot550'] ?? null,
            'water-vapour' => $found['water'] ?? null,
            'ozone' => $found['ozone'] ?? null,
            'elevation' => $found['elevation'] ?? null,
            'aerosol' => $found['aerosol'] ?? null,
        ];
    }

    /** @return array<string, mixed> */
    public function spectra(Request $request, Item $item): array
    {
        $study = $item->study;
        if (! $item->isRaster() || $study === null) {
            abort(404);
        }

        $told = $request->validate(['kind' => ['required', 'string'], 'settings' => ['present', 'array']]);
        $kind = Registry::get($told['kind']);
        if (! $kind instanceof ThroughAir) {
            throw Problem::call("{$told['kind']} is not an atmospheric correction.", 'kind');
        }

        return Looks::at(fn (): array => PegSpectra::of($study, $item, $kind, $told['settings']));
    }
}
