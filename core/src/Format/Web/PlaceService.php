<?php

namespace Chorometra\Core\Format\Web;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\RasterSpec;

/**
 * What the air over a place was like on a date, asked of a collection that speaks OGC API – Environmental Data Retrieval (19-086, query
 * “position”) and answers in CoverageJSON (OGC 21-069). Quantities are known by their CF standard names, whatever the service calls them.
 */
final readonly class PlaceService
{
    /** our key by the last part of an observed property's id, and what one of each unit is in ours */
    private const QUANTITIES = [
        'atmosphere_optical_thickness_due_to_ambient_aerosol_particles' => ['aot550', ['1' => 1.0, '' => 1.0]],
        'atmosphere_mass_content_of_water_vapor' => ['water', ['kg m-2' => 0.1, 'kg/m2' => 0.1, 'g cm-2' => 1.0]],
        'equivalent_thickness_at_stp_of_atmosphere_ozone_content' => ['ozone', ['m' => 1e5, 'DU' => 1.0]],
        'surface_altitude' => ['elevation', ['m' => 1.0]],
        'aerosol_type_in_atmosphere_layer_in_air' => ['aerosol', ['1' => 1.0, '' => 1.0]],
    ];

    public function __construct(private string $address) {}

    /**
     * What is known of the air over the middle of a scene, on its date.
     *
     * @return array{aot550?: float, water?: float, ozone?: float, elevation?: float, aerosol?: string} water in g cm⁻², ozone in Dobson units, elevation in metres
     */
    public function over(RasterSpec $spec, string $name): array
    {
        $date = $spec->properties['datetime'] ?? null;
        if (! is_string($date)) {
            throw Problem::input("$name does not tell its date, by which the atmosphere service is asked; set the air by hand.", 'service');
        }
        $grid = $spec->grid;
        [$longitude, $latitude] = Crs::needGrid($grid, $name, 'service')->inverse(...$grid->toMap($grid->width / 2, $grid->height / 2));
        $query = http_build_query(['coords' => sprintf('POINT(%.5f %.5f)', $longitude, $latitude), 'datetime' => $date, 'f' => 'CoverageJSON'], '', '&', PHP_QUERY_RFC3986);
        $answer = Http::json(rtrim($this->address, '/')."/position?$query", 'The atmosphere service', about: 'service', kind: 'a collection of OGC API – EDR');
        if (($answer['type'] ?? null) !== 'Coverage' || ! is_array($answer['parameters'] ?? null) || ! is_array($answer['ranges'] ?? null)) {
            throw Problem::input('The atmosphere service answers with something that is no coverage: is its address that of a collection of OGC API – EDR?', 'service');
        }
        $found = [];
        foreach ($answer['parameters'] as $key => $parameter) {
            $id = is_array($parameter) && is_string($parameter['observedProperty']['id'] ?? null) ? basename($parameter['observedProperty']['id']) : '';
            $value = $answer['ranges'][$key]['values'][0] ?? null;
            if (! isset(self::QUANTITIES[$id]) || ! is_numeric($value)) {
                continue;
            }
            [$ours, $units] = self::QUANTITIES[$id];
            if ($ours === 'aerosol') {
                $found += array_filter(['aerosol' => self::category($parameter, (int) $value)]);

                continue;
            }
            $unit = $parameter['unit']['symbol']['value'] ?? $parameter['unit']['symbol'] ?? '';
            $factor = $units[is_string($unit) ? $unit : ''] ?? throw Problem::input("The atmosphere service tells $key in a unit that is not known here; set it by hand.", 'service');
            $found[$ours] = $factor * (float) $value;
        }

        return $found;
    }

    /** @param  array<string, mixed>  $parameter */
    private static function category(array $parameter, int $value): ?string
    {
        foreach ((array) ($parameter['categoryEncoding'] ?? []) as $category => $codes) {
            if (in_array($value, (array) $codes, false)) {
                return basename((string) $category);
            }
        }

        return null;
    }
}
