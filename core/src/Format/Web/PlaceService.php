<?php

namespace Chorometra\Core\Format\Web;

use Chorometra\Core\Format\UntrustedValue;
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
     * @return array{aot550?: float, water?: float, ozone?: float, elevation?: float, aerosol?: string}
     *   water in g cm⁻², ozone in Dobson units, elevation in metres
     *
     * @throws Problem where the image has no date, or the service answers with something else
     */
    public function over(RasterSpec $spec, string $name): array
    {
        $date = $spec->properties['datetime'] ?? null;
        if (! is_string($date)) {
            throw Problem::input("$name has no date, which the atmosphere service needs; set the atmosphere by hand.", 'service');
        }
        $grid = $spec->grid;
        [$longitude, $latitude] = Crs::needGrid($grid, $name, 'service')->inverse(...$grid->toMap($grid->width / 2, $grid->height / 2));
        $query = http_build_query(
            ['coords' => sprintf('POINT(%.5f %.5f)', $longitude, $latitude), 'datetime' => $date, 'f' => 'CoverageJSON'],
            '',
            '&',
            PHP_QUERY_RFC3986,
        );
        $answer = Http::json(
            rtrim($this->address, '/')."/position?$query",
            'The atmosphere service',
            about: 'service',
            kind: 'a collection of OGC API – EDR',
        );
        $told = new UntrustedValue($answer);
        if ($told->at('type')->text() !== 'Coverage' || ! $told->at('parameters')->isMap() || ! $told->at('ranges')->isMap()) {
            throw Problem::input(
                'The atmosphere service answers with something that is no coverage: is its address that of a collection of OGC API – EDR?',
                'service',
            );
        }
        $found = [];
        foreach ($told->at('parameters')->members() as $key => $parameter) {
            $id = basename($parameter->at('observedProperty', 'id')->text() ?? '');
            $value = $told->at('ranges', $key, 'values', 0)->number();
            if (! isset(self::QUANTITIES[$id]) || $value === null) {
                continue;
            }
            [$ours, $units] = self::QUANTITIES[$id];
            if ($ours === 'aerosol') {
                $found += array_filter(['aerosol' => self::category($parameter, (int) $value)]);

                continue;
            }
            $unit = $parameter->at('unit', 'symbol', 'value')->text() ?? $parameter->at('unit', 'symbol')->text() ?? '';
            $factor = $units[$unit] ?? throw Problem::input("The atmosphere service reports $key in a unit that is not supported; set it by hand.", 'service');
            $found[$ours] = $factor * $value;
        }

        return $found;
    }

    private static function category(UntrustedValue $parameter, int $value): ?string
    {
        foreach ($parameter->at('categoryEncoding')->members() as $category => $codes) {
            if (in_array($value, array_map(fn (UntrustedValue $code): ?int => $code->whole(), $codes->isMap() ? $codes->list() : [$codes]), true)) {
                return basename((string) $category);
            }
        }

        return null;
    }
}
