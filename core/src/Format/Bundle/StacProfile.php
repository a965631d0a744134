<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Raster\Band;

/** A delivery described by a STAC Item: assets by their common band names (extensions eo and raster, or the band objects of STAC 1.1). */
final readonly class StacProfile implements Profile
{
    /** Common names to roles and groups. */
    private const NAMES = [
        'coastal' => 'coastal', 'blue' => 'blue', 'green' => 'green', 'red' => 'red', 'rededge' => 'rededge', 'rededge071' => 'rededge', 'nir' => 'nir', 'nir08' => 'nir',
        'swir16' => 'swir1', 'swir22' => 'swir2', 'pan' => 'pan', 'cirrus' => 'cirrus', 'lwir' => 'thermal1', 'lwir11' => 'thermal1', 'lwir12' => 'thermal2',
    ];

    private const GROUPS = ['pan' => 'pan', 'cirrus' => 'cirrus', 'thermal1' => 'thermal', 'thermal2' => 'thermal', 'quality' => 'quality'];

    private const KEPT = ['datetime', 'platform', 'instruments', 'constellation', 'view:sun_elevation', 'view:sun_azimuth', 'view:off_nadir', 'eo:cloud_cover'];

    /** @param  array<string, mixed>  $item */
    private function __construct(private array $item) {}

    /** A STAC Item with assets, or nothing. */
    public static function parse(string $text): ?self
    {
        $json = json_decode($text, true);

        return is_array($json) && ($json['type'] ?? null) === 'Feature' && isset($json['stac_version']) && is_array($json['assets'] ?? null) ? new self($json) : null;
    }

    public function title(): string
    {
        return ucfirst((string) ($this->item['properties']['platform'] ?? 'STAC Item').' '.implode(', ', (array) ($this->item['properties']['instruments'] ?? [])));
    }

    public function properties(): array
    {
        return array_intersect_key((array) ($this->item['properties'] ?? []), array_flip(self::KEPT));
    }

    public function bands(string $group): array
    {
        $found = [];
        foreach ($this->item['assets'] as $asset) {
            $bands = $asset['bands'] ?? $asset['eo:bands'] ?? [];
            $roles = (array) ($asset['roles'] ?? []);
            $first = is_array($bands[0] ?? null) ? $bands[0] : [];
            $isMask = array_intersect($roles, ['cloud', 'data-mask', 'quality', 'land-water']) !== [];
            $role = self::NAMES[$first['eo:common_name'] ?? $first['common_name'] ?? ''] ?? ($isMask ? 'quality' : null);
            if (! is_string($asset['href'] ?? null) || $role === null || count($bands) > 1 || (self::GROUPS[$role] ?? 'multispectral') !== $group) {
                continue;
            }
            $raster = is_array($asset['raster:bands'][0] ?? null) ? $asset['raster:bands'][0] : [];
            $found[] = ['file' => basename($asset['href']), 'pattern' => false, 'band' => new Band(
                $role,
                is_string($first['name'] ?? null) ? $first['name'] : $role,
                self::number($first['eo:center_wavelength'] ?? $first['center_wavelength'] ?? null),
                self::number($first['eo:full_width_half_max'] ?? $first['full_width_half_max'] ?? null),
                $role === 'quality' ? null : (is_string($raster['unit'] ?? $asset['unit'] ?? null) ? $raster['unit'] ?? $asset['unit'] : 'counts'),
                in_array('reflectance', $roles, true) && isset($raster['scale']) ? ['reflectance_gain' => (float) $raster['scale'], 'reflectance_offset' => (float) ($raster['offset'] ?? 0)] : [],
            )];
        }

        return $found;
    }

    public function fill(string $group): ?float
    {
        return null;
    }

    private static function number(mixed $value): ?float
    {
        return is_numeric($value) ? (float) $value : null;
    }
}
