<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Format\Told;
use Chorometra\Core\Raster\Band;

/** A delivery described by a STAC Item: assets by their common band names (extensions eo and raster, or the band objects of STAC 1.1). */
final readonly class StacProfile implements Profile
{
    /** Common names to roles and groups. */
    private const NAMES = [
        'coastal' => 'coastal',
        'blue' => 'blue',
        'green' => 'green',
        'red' => 'red',
        'rededge' => 'rededge',
        'rededge071' => 'rededge',
        'nir' => 'nir',
        'nir08' => 'nir',
        'swir16' => 'swir1',
        'swir22' => 'swir2',
        'pan' => 'pan',
        'cirrus' => 'cirrus',
        'lwir' => 'thermal1',
        'lwir11' => 'thermal1',
        'lwir12' => 'thermal2',
    ];

    private const GROUPS = ['pan' => 'pan', 'cirrus' => 'cirrus', 'thermal1' => 'thermal', 'thermal2' => 'thermal', 'quality' => 'quality'];

    private const KEPT = ['datetime', 'platform', 'instruments', 'constellation', 'view:sun_elevation', 'view:sun_azimuth', 'view:off_nadir', 'eo:cloud_cover'];

    private function __construct(private Told $item) {}

    /** A STAC Item with assets, or nothing. */
    public static function parse(string $text): ?self
    {
        $item = Told::orNothing($text);

        return $item !== null && $item->at('type')->text() === 'Feature' && $item->at('stac_version')->isThere() && $item->at('assets')->isMap()
            ? new self($item)
            : null;
    }

    public function title(): string
    {
        return ucfirst(
            ($this->item->at('properties', 'platform')->text() ?? 'STAC Item').' '.implode(', ', $this->item->at('properties', 'instruments')->texts()),
        );
    }

    public function properties(): array
    {
        return array_intersect_key(Properties::of($this->item->at('properties')), array_flip(self::KEPT));
    }

    public function bands(string $group): array
    {
        $found = [];
        foreach ($this->item->at('assets')->members() as $asset) {
            $bands = $asset->at('bands')->isThere() ? $asset->at('bands') : $asset->at('eo:bands');
            $roles = $asset->at('roles')->texts();
            $first = $bands->at(0);
            $isMask = array_intersect($roles, ['cloud', 'data-mask', 'quality', 'land-water']) !== [];
            $role = self::NAMES[$first->at('eo:common_name')->text() ?? $first->at('common_name')->text() ?? ''] ?? ($isMask ? 'quality' : null);
            $href = $asset->at('href')->text();
            if ($href === null || $role === null || count($bands->list()) > 1 || (self::GROUPS[$role] ?? 'multispectral') !== $group) {
                continue;
            }
            $raster = $asset->at('raster:bands', 0);
            $scale = $raster->at('scale')->number();
            $found[] = [
                'file' => basename($href),
                'pattern' => false,
                'band' => new Band(
                    $role,
                    $first->at('name')->text() ?? $role,
                    $first->at('eo:center_wavelength')->number() ?? $first->at('center_wavelength')->number(),
                    $first->at('eo:full_width_half_max')->number() ?? $first->at('full_width_half_max')->number(),
                    $role === 'quality' ? null : $raster->at('unit')->text() ?? ($asset->at('unit')->text() ?? 'counts'),
                    in_array('reflectance', $roles, true) && $scale !== null
                        ? ['reflectance_gain' => $scale, 'reflectance_offset' => $raster->at('offset')->number() ?? 0.0]
                        : [],
                ),
            ];
        }

        return $found;
    }

    public function fill(string $group): ?float
    {
        return null;
    }
}
