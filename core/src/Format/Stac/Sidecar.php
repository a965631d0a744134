<?php

namespace Chorometra\Core\Format\Stac;

use Chorometra\Core\Format\UntrustedValue;
use Chorometra\Core\Geo\Footprint;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Work\Files;

/**
 * The STAC Item (1.0.0) that stands beside each raster: band roles, wavelengths, units, constants, sun angles, date, legend, and
 * the step that made it. Extensions eo, raster, view, proj, sar and classification; what none of them has is prefixed “chorometra:”.
 */
final class Sidecar
{
    /** Without these an item may not claim the extension. */
    private const RADAR = ['sar:instrument_mode', 'sar:frequency_band', 'sar:polarizations', 'sar:product_type'];

    private const MOST_BYTES = 16 << 20;

    private const PARTS = ['real', 'imaginary', 'magnitude', 'phase'];

    private const SCHEMAS = 'https://stac-extensions.github.io/';

    public static function path(string $raster): string
    {
        return preg_replace('/\.tiff?$/i', '', $raster).'.stac.json';
    }

    /** @param  array<string, mixed>  $made which step made the raster */
    public static function write(string $raster, RasterSpec $spec, array $made): void
    {
        $json = json_encode(
            self::item($raster, $spec, $made),
            JSON_PRETTY_PRINT | JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_PRESERVE_ZERO_FRACTION,
        );
        Files::write(self::path($raster), $json."\n");
    }

    /**
     * Puts what is known from elsewhere, such as an archive's item, into the sidecar of a raster that stands already.
     *
     * @param  array<string, mixed>  $properties
     */
    public static function add(string $raster, RasterSpec $spec, array $properties): void
    {
        $made = UntrustedValue::file(self::path($raster), self::MOST_BYTES)?->at('properties', 'chorometra:made')->raw() ?? [];
        self::write($raster, $spec->with(properties: $properties + $spec->properties), $made);
    }

    /**
     * What the sidecar knows, put on what the file itself says. A missing or unreadable sidecar changes nothing, and what is of another type than it
     * should be is left out.
     */
    public static function read(string $raster, RasterSpec $plain): RasterSpec
    {
        $item = UntrustedValue::file(self::path($raster), self::MOST_BYTES);
        $asset = $item?->at('assets', 'data');
        $told = $asset?->at('eo:bands')->list() ?? [];
        if ($item === null || $asset === null || count($told) !== count($plain->bands)) {
            return $plain;
        }
        $bands = [];
        foreach ($told as $index => $band) {
            $bands[] = new Band(
                self::name($band->at('chorometra:role')) ?? self::name($band->at('common_name')),
                $band->at('description')->text(),
                self::length($band->at('center_wavelength')),
                self::length($band->at('full_width_half_max')),
                $asset->at('raster:bands', $index, 'unit')->text(),
                array_filter(array_map(fn (UntrustedValue $one): ?float => $one->number(), $band->at('chorometra:constants')->members()), is_float(...)),
                in_array($band->at('chorometra:part')->text(), self::PARTS, true) ? $band->at('chorometra:part')->text() : null,
                Scale::tryFrom($band->at('chorometra:scale')->text() ?? ''),
            );
        }
        $classes = [];
        foreach ($asset->at('classification:classes')->list() as $class) {
            $code = $class->at('value')->whole();
            if ($code !== null && $code >= 0 && $code < 1 << 16 && count($classes) < 1 << 16) {
                $colour = strtolower(ltrim($class->at('color_hint')->text() ?? '', '#'));
                $classes[$code] = [
                    'name' => $class->at('title')->text() ?? ($class->at('name')->text() ?? "class $code"),
                    'colour' => preg_match('/^[0-9a-f]{6}$/', $colour) ? "#$colour" : '#888888',
                ];
            }
        }
        $properties = Properties::of($item->at('properties'));
        if (isset($properties['created']) && $properties['created'] === ($properties['start_datetime'] ?? null)) {
            // how an earlier release wrote what has no date
            unset($properties['start_datetime'], $properties['end_datetime']);
        }
        unset($properties['created'], $properties['proj:epsg'], $properties['proj:shape'], $properties['proj:transform'], $properties['chorometra:made']);
        $content = Content::tryFrom($asset->at('chorometra:content')->text() ?? '') ?? $plain->content;

        return new RasterSpec(
            $plain->grid,
            $bands,
            $plain->type,
            $plain->nodata,
            // codes are whole numbers in one band
            $content === Content::Image || (! $plain->type->isFloat() && count($bands) === 1) ? $content : $plain->content,
            $classes !== [] ? new Legend($classes) : $plain->legend,
            $properties,
        );
    }

    /** A role is one word. */
    private static function name(UntrustedValue $told): ?string
    {
        $name = $told->text();

        return $name !== null && preg_match('/^[\w.:-]{1,40}$/', $name) ? $name : null;
    }

    /** A length in micrometres. */
    private static function length(UntrustedValue $told): ?float
    {
        $length = $told->number();

        return $length !== null && $length > 0 && $length < 1e7 ? $length : null;
    }

    /**
     * @param  array<string, mixed>  $made
     * @return array<string, mixed>
     */
    public static function item(string $raster, RasterSpec $spec, array $made): array
    {
        $grid = $spec->grid;
        $footprint = Footprint::of($grid);
        // the grid nearest to ground control points is nobody's to reckon with
        $isPlaced = $grid->isReferenced() && $grid->controls === null;
        $asset = [
            'href' => './'.basename($raster),
            'type' => 'image/tiff; application=geotiff; profile=cloud-optimized',
            'roles' => ['data'],
            'chorometra:content' => $spec->content->value,
            'eo:bands' => array_map(self::band(...), $spec->bands, array_keys($spec->bands)),
            'raster:bands' => array_map(fn (Band $band): array => array_filter([
                'data_type' => $spec->type->stacName(),
                'nodata' => $spec->nodata === null ? null : (is_nan($spec->nodata) ? 'nan' : $spec->nodata),
                'unit' => $band->unit,
                'spatial_resolution' => $isPlaced ? round(sqrt($grid->pixelArea()), 6) : null,
            ], fn ($value): bool => $value !== null), $spec->bands),
        ];
        $schemas = ['eo/v1.1.0', 'raster/v1.1.0', 'projection/v1.1.0', 'view/v1.0.0'];
        if (array_diff(self::RADAR, array_keys($spec->properties)) === []) {
            $schemas[] = 'sar/v1.0.0';
        }
        if ($spec->legend !== null) {
            $schemas[] = 'classification/v1.1.0';
            $asset['classification:classes'] = array_map(fn (array $class): array => [
                'value' => $class['value'],
                'name' => preg_replace('/[^a-z0-9]+/', '-', strtolower($class['name'])),
                'title' => $class['name'],
                'color_hint' => strtoupper(ltrim($class['colour'], '#')),
            ], $spec->legend->toArray());
        }

        return [
            'type' => 'Feature',
            'stac_version' => '1.0.0',
            'stac_extensions' => array_map(fn (string $name): string => self::SCHEMAS.$name.'/schema.json', $schemas),
            'id' => preg_replace('/\.tiff?$/i', '', basename($raster)),
            'geometry' => $footprint['geometry'] ?? null,
            ...($footprint === null ? [] : ['bbox' => $footprint['bbox']]),
            'properties' => [
                ...self::times($spec->properties),
                ...$spec->properties,
                'proj:epsg' => $grid->epsg,
                'proj:shape' => [$grid->height, $grid->width],
                ...$isPlaced
                    ? [
                        'proj:transform' => [
                            $grid->transform[1],
                            $grid->transform[2],
                            $grid->transform[0],
                            $grid->transform[4],
                            $grid->transform[5],
                            $grid->transform[3],
                        ],
                    ]
                    : [],
                'chorometra:made' => $made,
            ],
            'links' => [],
            'assets' => ['data' => $asset],
        ];
    }

    /**
     * A date, a first and a last one, or none: the time at which a file was made is no date of what it shows.
     *
     * @param  array<string, mixed>  $properties
     * @return array<string, string|null>
     */
    private static function times(array $properties): array
    {
        if (isset($properties['datetime']) || isset($properties['start_datetime'], $properties['end_datetime'])) {
            return ['datetime' => null];
        }

        return ['datetime' => null, 'created' => gmdate('Y-m-d\TH:i:s\Z')];
    }

    /** @return array<string, mixed> */
    private static function band(Band $band, int $index): array
    {
        return array_filter(
            [
                'name' => (string) ($index + 1),
                'description' => $band->name,
                'common_name' => in_array($band->role, ['coastal', 'blue', 'green', 'red', 'rededge', 'nir', 'pan', 'cirrus'], true)
                    ? $band->role
                    : ['swir1' => 'swir16', 'swir2' => 'swir22', 'thermal1' => 'lwir11', 'thermal2' => 'lwir12'][$band->role ?? ''] ?? null,
                'center_wavelength' => $band->wavelength,
                'full_width_half_max' => $band->bandwidth,
                'chorometra:role' => $band->role,
                'chorometra:constants' => $band->constants ?: null,
                'chorometra:part' => $band->part,
                'chorometra:scale' => $band->scale()?->value,
            ],
            fn ($value): bool => $value !== null,
        );
    }
}
