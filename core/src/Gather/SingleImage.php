<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\StoredTiles;
use Chorometra\Core\Format\Rasters;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Described;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** Reads one raster file into the working format, and takes on what the file itself does not tell. */
final class SingleImage extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.image',
            'Image file',
            'Reads one image file, a GeoTIFF or a PNG or JPEG with its world file, and asks for what the file does not contain.',
            [new Port('image', PortType::File, 'A GeoTIFF, PNG or JPEG file.')],
            [
                Setting::whole('crs', null, 'EPSG code of the CRS, for a file that names none.', least: 1024, most: 32766)->ofImage(),
                Setting::texts(
                    'roles',
                    'Roles of the bands in order, such as blue,green,red,nir; - for none. Polarisations of complex samples once each: hh,hv,vv; '
                        .'parts in bands of their own as hh-magnitude,hh-phase.',
                )->ofImage(),
                Setting::texts(
                    'units',
                    'Units of the bands in order, such as dB or reflectance; - for the unit in the file. A single unit applies to all bands.',
                )->ofImage(),
                Setting::choice(
                    'complex',
                    ['magnitude-phase', 'parts'],
                    'magnitude-phase',
                    'Bands made from complex samples: magnitude and phase, or real and imaginary parts.',
                ),
                Setting::text('date', null, 'Acquisition date, as 2031-05-12.')->ofImage(),
                Setting::number('nodata', null, 'The value that means nodata, where the file names none.')->ofImage(),
            ],
            [new Port('result', PortType::Image, 'The image.')],
            'GeoTIFF 1.1 (OGC 19-008r4), TIFF 6.0; world files are common practice, no source.',
            synonyms: ['GeoTIFF', 'open image', 'import raster'],
            example: new Example(['roles' => 'blue,green,red,nir,swir1']),
            figures: [
                Figure::text('read', 'read'),
                Figure::text('size', 'size'),
                Figure::text('crs', 'CRS'),
            ],
            desk: new Desk(3),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = Rasters::open($call->path('image'));
        $spec = $image->spec();
        $grid = $spec->grid;
        $crs = $call->whole('crs');
        if ($crs !== 0) {
            if ($grid->epsg !== null && $grid->epsg !== $crs) {
                throw Problem::call("{$image->name()} names its CRS, EPSG:{$grid->epsg}; leave the setting crs empty.", 'crs');
            }
            $grid = new Grid($grid->width, $grid->height, $grid->transform, $crs, controls: $grid->controls);
        }
        $nodata = is_nan($call->number('nodata')) ? $spec->nodata : $call->number('nodata');
        $out = new RasterSpec(
            $grid,
            $this->bands($call, $spec, $image->name()),
            $spec->type,
            $nodata,
            $spec->content,
            $spec->legend,
            $this->properties($call, $spec),
        );
        $codes = $spec->content !== Content::Image;
        $polar = $spec->bands[0]->part === 'real' && $call->text('complex') === 'magnitude-phase';
        if ($polar) {
            $out = $out->measured(array_map(self::polarBand(...), $out->bands));
        }
        $asRead = new RasterSpec($grid, $spec->bands, $spec->type, $nodata);

        return new Plan(
            [new Reading($codes ? $image : new Described($image, $asRead), array_keys($out->bands), $codes)],
            ['result' => $out],
            fn (array $bands): array => ['result' => $polar ? self::polar($bands) : $bands],
            stored: $polar || ! ($image instanceof GeoTiffImage)
                ? null
                : StoredTiles::passing(array_map(fn (int $band): array => [$image, $band], array_keys($out->bands)), $out),
            figures: ['read' => $image->name(), 'size' => "$grid->width x $grid->height", 'crs' => $grid->epsg === null ? null : "EPSG:$grid->epsg"],
        );
    }

    private static function polarBand(Band $band): Band
    {
        $part = $band->part === 'real' ? 'magnitude' : 'phase';

        return new Band($band->role, trim("$band->role $part"), $band->wavelength, $band->bandwidth, $part === 'phase' ? 'rad' : null, part: $part);
    }

    /**
     * Real and imaginary parts in turn to magnitudes and phases.
     *
     * @param  list<list<float>>  $bands
     * @return list<list<float>>
     */
    private static function polar(array $bands): array
    {
        $out = [];
        for ($k = 0; $k < count($bands); $k += 2) {
            [$out[], $out[]] = self::pair($bands[$k], $bands[$k + 1], count($bands[$k]));
        }

        return $out;
    }

    /**
     * @param  list<float>  $real
     * @param  list<float>  $imaginary
     * @return array{list<float>, list<float>}
     */
    private static function pair(array $real, array $imaginary, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $x = $real[$i];
            $y = $imaginary[$i];
            $real[$i] = sqrt($x * $x + $y * $y);
            $imaginary[$i] = atan2($y, $x);
        }

        return [$real, $imaginary];
    }

    /** @return list<Band> */
    private function bands(Call $call, RasterSpec $spec, string $name): array
    {
        $bands = $this->named($call, $spec, $name);
        $units = $call->texts('units');
        if ($units === []) {
            return $bands;
        }
        if (count($units) !== 1 && count($units) !== count($bands)) {
            throw Problem::call(sprintf('%d units are given for the %d bands of %s.', count($units), count($bands), $name), 'units');
        }
        foreach ($bands as $index => $band) {
            $unit = $units[count($units) === 1 ? 0 : $index];
            if (mb_strlen($unit) > 30 || preg_match('/[\x00-\x1f]/', $unit)) {
                throw Problem::call('“'.mb_substr($unit, 0, 30).'” is no unit.', 'units');
            }
            $bands[$index] =
                $unit === '-' ? $band : new Band($band->role, $band->name, $band->wavelength, $band->bandwidth, $unit, $band->constants, $band->part);
        }

        return array_values($bands);
    }

    /** @return list<Band> with the roles told */
    private function named(Call $call, RasterSpec $spec, string $name): array
    {
        $roles = $call->texts('roles');
        if ($roles === []) {
            return $spec->bands;
        }
        // a complex band of two parts has one role
        if ($spec->bands[0]->part !== null && 2 * count($roles) === count($spec->bands)) {
            $roles = array_merge(...array_map(fn (string $role): array => [$role, $role], $roles));
        }
        if (count($roles) !== count($spec->bands)) {
            throw Problem::call(sprintf('%d roles are given for the %d bands of %s.', count($roles), count($spec->bands), $name), 'roles');
        }
        $bands = [];
        foreach ($spec->bands as $index => $band) {
            [$role, $part] = preg_match('/^(.+)-(magnitude|phase|real|imaginary)$/', $roles[$index], $match)
                ? [$match[1], $match[2]]
                : [$roles[$index], $band->part];
            if ($role !== '-' && ! in_array($role, Band::ROLES, true)) {
                throw Problem::call("“{$role}” is no band role; roles are ".implode(', ', Band::ROLES).'.', 'roles');
            }
            $bands[] = new Band(
                $role === '-' ? null : $role,
                $band->name,
                $band->wavelength,
                $band->bandwidth,
                $band->unit ?? ($part === 'phase' ? 'rad' : null),
                $band->constants,
                $part,
            );
        }

        return $bands;
    }

    /** @return array<string, mixed> */
    private function properties(Call $call, RasterSpec $spec): array
    {
        $date = $call->text('date');
        if ($date === '') {
            return $spec->properties;
        }
        if (! preg_match('/^\d{4}-\d\d-\d\d$/', $date) || ! checkdate((int) substr($date, 5, 2), (int) substr($date, 8), (int) substr($date, 0, 4))) {
            throw Problem::call("The date “{$date}” is not valid; write it as 2031-05-12.", 'date');
        }

        return ['datetime' => $date.'T00:00:00Z'] + $spec->properties;
    }
}
