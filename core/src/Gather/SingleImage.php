<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Picture;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Source;

/** Reads one raster file into the working format, and takes on what the file itself does not tell. */
final class SingleImage implements LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.image',
            'Image file',
            'Reads one image file, GeoTIFF or a PNG or JPEG with its world file, and asks for what the file does not tell.',
            [new Port('image', PortType::File, 'A GeoTIFF, PNG or JPEG file.')],
            [
                Setting::whole('crs', null, 'EPSG code of the CRS, where the file names none.', least: 1024, most: 32766),
                Setting::texts('roles', 'Roles of the bands in order, such as blue,green,red,nir; - for none.'),
                Setting::text('date', null, 'When it was taken, as 2031-05-12.'),
                Setting::number('nodata', null, 'The value that means nodata, where the file names none.'),
            ],
            [new Port('result', PortType::Image, 'The image.')],
            'GeoTIFF 1.1 (OGC 19-008r4), TIFF 6.0; world files are common practice, no source.',
        );
    }

    public function plan(Call $call): Plan
    {
        $path = $call->path('image');
        $head = (string) @file_get_contents($path, false, null, 0, 4);
        $image = str_starts_with($head, "\x89PNG") || str_starts_with($head, "\xff\xd8") ? new Picture($path) : new GeoTiffImage($path);
        $spec = $image->spec();
        $grid = $spec->grid;
        $crs = $call->whole('crs');
        if ($crs !== 0) {
            if ($grid->epsg !== null && $grid->epsg !== $crs) {
                throw Problem::call("{$image->name()} says itself that its CRS is EPSG:{$grid->epsg}; leave the setting crs empty.", 'crs');
            }
            $grid = new Grid($grid->width, $grid->height, $grid->transform, $crs);
        }
        $nodata = is_nan($call->number('nodata')) ? $spec->nodata : $call->number('nodata');
        $out = new RasterSpec($grid, $this->bands($call, $spec, $image->name()), $spec->type, $nodata, $spec->content, $spec->legend, $this->properties($call, $spec));
        $codes = $spec->content !== Content::Image;
        $asRead = new RasterSpec($grid, $spec->bands, $spec->type, $nodata);

        return new Plan(
            [new Source($codes ? $image : new Relabelled($image, $asRead), array_keys($out->bands), $codes)],
            ['result' => $out],
            fn (array $bands): array => ['result' => $bands],
            figures: ['read' => $image->name(), 'size' => "$grid->width x $grid->height", 'crs' => $grid->epsg === null ? null : "EPSG:$grid->epsg"],
        );
    }

    /** @return list<Band> */
    private function bands(Call $call, RasterSpec $spec, string $name): array
    {
        $roles = $call->texts('roles');
        if ($roles === []) {
            return $spec->bands;
        }
        if (count($roles) !== count($spec->bands)) {
            throw Problem::call(sprintf('%d roles are given for the %d bands of %s.', count($roles), count($spec->bands), $name), 'roles');
        }
        $bands = [];
        foreach ($spec->bands as $index => $band) {
            $role = $roles[$index];
            if ($role !== '-' && ! in_array($role, Band::ROLES, true)) {
                throw Problem::call("“{$role}” is no band role; roles are ".implode(', ', Band::ROLES).'.', 'roles');
            }
            $bands[] = new Band($role === '-' ? null : $role, $band->name, $band->wavelength, $band->bandwidth, $band->unit, $band->constants);
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
            throw Problem::call("The date “{$date}” is none; write it as 2031-05-12.", 'date');
        }

        return ['datetime' => $date.'T00:00:00Z'] + $spec->properties;
    }
}
