<?php

namespace App\Standin;

use Chorometra\Core\Geo\Crs;
use Chorometra\Demo\Air;
use Chorometra\Demo\Catalogue;
use Chorometra\Demo\OpticalScene;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;

/** A simulated atmosphere service: OGC API – Environmental Data Retrieval, one collection, positions answered in CoverageJSON. */
final class AtmosphereController
{
    private const NAMES = 'http://vocab.nerc.ac.uk/standard_name/';

    /** key => CF standard name, label, unit */
    private const PARAMETERS = [
        'aod' => ['atmosphere_optical_thickness_due_to_ambient_aerosol_particles', 'Optical depth of aerosol at 550 nm', '1'],
        'tcwv' => ['atmosphere_mass_content_of_water_vapor', 'Column water vapour', 'kg m-2'],
        'tco3' => ['equivalent_thickness_at_stp_of_atmosphere_ozone_content', 'Column ozone', 'm'],
        'height' => ['surface_altitude', 'Ground elevation', 'm'],
        'kind' => ['aerosol_type_in_atmosphere_layer_in_air', 'Kind of aerosol', ''],
    ];

    private const AEROSOLS = ['continental', 'maritime', 'urban', 'desert'];

    public function landing(): JsonResponse
    {
        $base = $this->base();

        return $this->json(['title' => 'Air over Orvane (stand-in)', 'description' => 'Atmospheric parameters of an invented model, by place and '
            .'date.', 'links' => [
                ['rel' => 'self', 'href' => $base, 'type' => 'application/json'],
                ['rel' => 'conformance', 'href' => "$base/conformance", 'type' => 'application/json'],
                ['rel' => 'data', 'href' => "$base/collections", 'type' => 'application/json'],
            ]]);
    }

    public function conformance(): JsonResponse
    {
        return $this->json([
            'conformsTo' => [
                'http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/core',
                'http://www.opengis.net/spec/ogcapi-edr-1/1.0/conf/core',
                'http://www.opengis.net/spec/ogcapi-edr-1/1.0/conf/covjson',
            ],
        ]);
    }

    public function collections(): JsonResponse
    {
        return $this->json(['links' => [['rel' => 'self', 'href' => $this->base().'/collections']], 'collections' => [$this->describe()]]);
    }

    public function collection(): JsonResponse
    {
        return $this->json($this->describe());
    }

    public function position(Request $request): JsonResponse
    {
        [$coords, $time] = [$request->query('coords'), $request->query('datetime')];
        if (! is_string($coords) || ! preg_match('/^POINT\s*\(\s*(-?[\d.]+)\s+(-?[\d.]+)\s*\)$/i', $coords, $at)) {
            return $this->json(['code' => 400, 'description' => 'coords has to be a point: POINT(longitude latitude).'], 400);
        }
        $date = is_string($time) ? date_create($time) : false;
        if ($date === false) {
            return $this->json(['code' => 400, 'description' => 'datetime has to be an instant: 2031-05-12T10:41:22Z.'], 400);
        }
        [$longitude, $latitude] = [(float) $at[1], (float) $at[2]];
        [$west, $south, $east, $north] = $this->box();
        if ($longitude < $west || $longitude > $east || $latitude < $south || $latitude > $north) {
            return $this->json(['code' => 404, 'description' => 'The place is outside the model.'], 404);
        }
        $day = $date->format('Y-m-d');
        $sky = 'clear';
        foreach (Catalogue::scenes() as $scene) {
            $sky = str_starts_with($scene->datetime, $day) ? $scene->sky : $sky;
        }
        $air = Air::on($day, $sky)->told($day);
        $values = [
            'aod' => $air->aot550,
            'tcwv' => round(10 * $air->water, 2),
            'tco3' => $air->ozone / 1e5,
            'height' => $air->elevation,
            'kind' => array_search($air->aerosol, self::AEROSOLS, true),
        ];
        $axis = fn (float|string $value): array => ['values' => [$value]];

        return $this->json([
            'type' => 'Coverage',
            'domain' => [
                'type' => 'Domain',
                'domainType' => 'Point',
                'axes' => ['x' => $axis($longitude), 'y' => $axis($latitude), 't' => $axis($date->format('Y-m-d\TH:i:s\Z'))],
                'referencing' => [
                    ['coordinates' => ['x', 'y'], 'system' => ['type' => 'GeographicCRS', 'id' => 'http://www.opengis.net/def/crs/OGC/1.3/CRS84']],
                    ['coordinates' => ['t'], 'system' => ['type' => 'TemporalRS', 'calendar' => 'Gregorian']],
                ],
            ],
            'parameters' => $this->parameters(),
            'ranges' => array_map(
                fn (float|int|false $value): array => ['type' => 'NdArray', 'dataType' => is_float($value) ? 'float' : 'integer', 'values' => [$value]],
                $values,
            ),
        ]);
    }

    /** @return array<string, array<string, mixed>> */
    private function parameters(): array
    {
        $out = [];
        foreach (self::PARAMETERS as $key => [$name, $label, $unit]) {
            $out[$key] = [
                'type' => 'Parameter',
                'description' => ['en' => $label],
                'observedProperty' => ['id' => self::NAMES.$name, 'label' => ['en' => $label]],
            ];
            if ($key === 'kind') {
                $out[$key]['observedProperty']['categories'] = array_map(
                    fn (string $kind): array => ['id' => $kind, 'label' => ['en' => $kind]],
                    self::AEROSOLS,
                );
                $out[$key]['categoryEncoding'] = array_flip(self::AEROSOLS);
            } else {
                $out[$key]['unit'] = ['symbol' => $unit];
            }
        }

        return $out;
    }

    /** @return array<string, mixed> */
    private function describe(): array
    {
        $base = $this->base().'/collections/air';

        return [
            'id' => 'air',
            'title' => 'Air over Orvane',
            'links' => [['rel' => 'self', 'href' => $base]],
            'extent' => ['spatial' => ['bbox' => [$this->box()], 'crs' => 'CRS84']],
            'data_queries' => [
                'position' => [
                    'link' => ['href' => "$base/position", 'rel' => 'data', 'variables' => ['query_type' => 'position', 'output_formats' => ['CoverageJSON']]],
                ],
            ],
            'crs' => ['CRS84'],
            'output_formats' => ['CoverageJSON'],
            'parameter_names' => $this->parameters(),
        ];
    }

    /** @return array{float, float, float, float} degrees: some way around the made-up place */
    private function box(): array
    {
        $grid = OpticalScene::grid(20);
        $middle = Crs::toGeographic($grid->epsg, ...$grid->toMap($grid->width / 2, $grid->height / 2));
        assert($middle !== null);

        return [$middle[0] - 3, $middle[1] - 2, $middle[0] + 3, $middle[1] + 2];
    }

    private function base(): string
    {
        return url('/standin/atmosphere');
    }

    /** @param  array<string, mixed>  $answer */
    private function json(array $answer, int $status = 200): JsonResponse
    {
        return new JsonResponse($answer, $status, [], JSON_UNESCAPED_SLASHES);
    }
}
