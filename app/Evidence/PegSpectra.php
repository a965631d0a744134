<?php

namespace App\Evidence;

use App\Models\Item;
use App\Models\Peg;
use App\Models\Study;
use App\Services\Addresses;
use App\Studies\StudyMap;
use Chorometra\Core\Correct\Air\SpectralFit;
use Chorometra\Core\Correct\Air\ThroughAir;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Work\Context;

/** What the pegs would read once the air is taken out, before it is; each beside the signatures. */
final class PegSpectra
{
    /**
     * @param  array<string, mixed>  $settings  of the kind
     * @return array<string, mixed>
     */
    public static function of(Study $study, Item $item, ThroughAir $kind, array $settings): array
    {
        $image = $item->image();
        $spec = $image->spec();
        $call = CallOpener::call($kind, ['image' => $image], Addresses::addressed($kind->declaration(), $settings), ['result' => 'none.tif'], new Context(1));
        ['told' => $told, 'bands' => $bands] = $kind->airOf($call);
        $pegs = [];
        $libraries = SignatureLibrary::all();
        $kept = array_values(array_intersect_key($spec->bands, $bands));
        foreach ($study->pegs as $peg) {
            $above = self::read($item, $peg);
            $surface = [];
            foreach ($bands as $index => $one) {
                $surface[] = $above[$index] === null ? null : $one->surface($above[$index]);
            }
            $fits = [];
            foreach ($libraries as $library => $signatures) {
                foreach (SpectralFit::ranked($surface, $kept, $signatures) as $fit) {
                    $fits[] = ['library' => $library] + $fit;
                }
            }
            usort($fits, fn (array $a, array $b): int => $a['angle'] <=> $b['angle']);
            $pegs[] = [
                'id' => $peg->id,
                'letter' => $peg->letter,
                'above' => array_values(array_intersect_key($above, $bands)),
                'surface' => $surface,
                'fits' => $fits,
            ];
        }

        return [
            'air' => $told,
            'bands' => array_map(
                fn (int $index, Band $band): array => [
                    'number' => $index + 1,
                    'label' => $band->label($index + 1),
                    'wavelength' => $band->wavelength,
                    'path' => $bands[$index]->path,
                    'through' => $bands[$index]->gas * $bands[$index]->down * $bands[$index]->up,
                ],
                array_keys($bands),
                $kept,
            ),
            'pegs' => $pegs,
        ];
    }

    /** @return list<float|null> */
    private static function read(Item $item, Peg $peg): array
    {
        $image = $item->image();
        [$col, $row] = StudyMap::pixel($item, $image, $peg->x, $peg->y);

        return is_nan($col) || is_nan($row) ? array_fill(0, count($image->spec()->bands), null) : SpectralFit::at($image, $col, $row);
    }
}
