<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Format\UntrustedValue;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;

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

    private function __construct(private UntrustedValue $item) {}

    /** A STAC Item with assets, or nothing. */
    public static function parse(string $text): ?self
    {
        $item = UntrustedValue::orNothing($text);

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
        $quantity = $this->reflectance();

        return array_intersect_key(Properties::of($this->item->at('properties')), array_flip(self::KEPT))
            + ($quantity === null ? [] : [RasterSpec::REFLECTANCE => $quantity]);
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
            // extension raster 1, else 2, on the band or on all of the asset
            $raster = $asset->at('raster:bands', 0);
            $told = fn (string $name): UntrustedValue => $raster->at($name)->isThere()
                ? $raster->at($name)
                : ($first->at("raster:$name")->isThere() ? $first->at("raster:$name") : $asset->at("raster:$name"));
            $scale = $told('scale')->number();
            $isQuantity = array_intersect($roles, ['reflectance', 'temperature']) !== [];
            $isFloat = str_starts_with($raster->at('data_type')->text() ?? $first->at('data_type')->text() ?? $asset->at('data_type')->text() ?? '', 'float');
            $unit = $raster->at('unit')->text() ?? $first->at('unit')->text() ?? $asset->at('unit')->text();
            if ($isQuantity && $scale !== null) {
                $unit = 'counts';
            } elseif ($isQuantity && $isFloat) {
                $unit = in_array('temperature', $roles, true) ? 'K' : 'reflectance';
            }
            $found[] = [
                'file' => basename($href),
                'pattern' => false,
                'band' => new Band(
                    $role,
                    $first->at('name')->text() ?? $role,
                    $first->at('eo:center_wavelength')->number() ?? $first->at('center_wavelength')->number(),
                    $first->at('eo:full_width_half_max')->number() ?? $first->at('full_width_half_max')->number(),
                    $role === 'quality' ? null : $unit ?? 'counts',
                    // scale and offset give the quantity itself
                    $isQuantity && $scale !== null ? ['value_gain' => $scale, 'value_offset' => $told('offset')->number() ?? 0.0] : [],
                ),
            ];
        }

        return $found;
    }

    /** Reflectance of the ground or above the air, by the level of processing or as the item's texts say; nothing where it is not told. */
    private function reflectance(): ?string
    {
        $level = $this->item->at('properties', 'processing:level')->text() ?? '';
        if (preg_match('/^l(?:evel)?[ -]?([1-4])/i', $level, $found)) {
            return $found[1] === '1' ? 'toa' : 'surface';
        }
        $texts = [$this->item->at('collection')->text(), $this->item->at('properties', 'title')->text(), $this->item->at('properties', 'description')->text()];
        foreach ($this->item->at('assets')->members() as $asset) {
            if (in_array('reflectance', $asset->at('roles')->texts(), true)) {
                array_push($texts, $asset->at('title')->text(), $asset->at('description')->text());
            }
        }
        $all = implode("\n", array_filter($texts));
        $isSurface = preg_match('/\bsurface|bottom[ -]of[ -](the[ -])?atmosphere|\bboa\b/i', $all) === 1;
        $isAbove = preg_match('/top[ -]of[ -](the[ -])?atmosphere|\btoa\b/i', $all) === 1;

        return $isSurface === $isAbove ? null : ($isSurface ? 'surface' : 'toa');
    }

    public function fill(string $group): ?float
    {
        return null;
    }
}
