<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Format\Bundle\AssignedProfile;
use Chorometra\Core\Format\Bundle\Contents;
use Chorometra\Core\Format\Bundle\Profile;
use Chorometra\Core\Format\Bundle\SensorProfile;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\StoredTiles;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

/** Reads a level-1 scene as delivered: one GeoTIFF per band and a metadata text, packed or in a folder. */
final class Bundle implements Kind
{
    public const GROUPS = ['multispectral', 'pan', 'thermal', 'cirrus', 'quality', 'gap-mask'];

    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.bundle',
            'Scene bundle',
            'Reads a scene as delivered, packed or not, and makes one image per band group, with band roles, wavelengths, gains and sun angles.',
            [new Port('image', PortType::File, 'The bundle: tar, tar.gz, zip or a folder.', sample: 'scene.tar.gz')],
            [
                Setting::choices('groups', self::GROUPS, ['multispectral'], 'Band groups to read.'),
                Setting::choice('thermal', ['own', 'joined'], 'own', 'Thermal bands as an image of their own, or as part of the multispectral one.'),
                Setting::texts('assign', 'Bands assigned by hand, where the sensor is unknown or files are missing: red=B4.tif, nir=B5.tif …')->ofImage(),
            ],
            [new Port('result', PortType::Folder, 'A folder with one image per group.', endings: [''])],
            'Metadata notation: CCSDS 641.0-B-2 (Parameter Value Language). Band tables: the sensor profiles in core/resources/sensors.',
            synonyms: ['scene package', 'delivery', 'import scene'],
            figures: [
                Figure::text('sensor', 'sensor'),
                Figure::named('metadata', 'metadata'),
                Figure::images('groups'),
            ],
            desk: new Desk(2, ['{groups}'], evidence: [new Evidence('band-files')]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $call->context->report(0.0, 'looking into the bundle');
        $contents = Contents::of($call->path('image'), $call->context->folder());
        $assigned = $call->texts('assign');
        $profile = $assigned === [] ? $contents->profile : AssignedProfile::of($assigned, $contents->profile);
        if ($profile === null) {
            throw Problem::input(
                ($contents->hasMetadata
                    ? "$contents->name comes from a sensor that is not supported (known are ".implode(', ', SensorProfile::known()).')'
                    : "$contents->name contains no readable metadata").
                    '. It holds '.
                    $contents->some().
                    '. Assign the bands by hand: red=FILE, nir=FILE …',
                'assign',
            );
        }
        $groups = $this->groups($call, $profile, $contents);
        $folder = $call->context->folder().'/bundle';
        mkdir($folder);
        $wanted = [];
        foreach ($groups as $bands) {
            foreach ($bands as $band) {
                $wanted[$band['entry']] = $folder.'/'.count($wanted).'-'.basename($band['entry']);
            }
        }
        $call->context->report(0.05, 'unpacking '.count($wanted).' bands');
        $contents->archive->extract($wanted);

        // all groups or none: the folder appears when the last is written
        $part = $call->outputs['result'].'.'.getmypid().'.part';
        $figures = ['sensor' => $profile->title(), 'metadata' => $profile->properties(), 'groups' => []];
        $index = 0;
        try {
            foreach ($groups as $group => $bands) {
                $context = $call->context->part(0.2 + (0.8 * $index) / count($groups), 0.2 + (0.8 * ++$index) / count($groups));
                $figures['groups'][$group] = $this->image(
                    $call,
                    $context,
                    "$part/$group.tif",
                    $group,
                    array_map(fn (array $band): array => ['path' => $wanted[$band['entry']], 'band' => $band['band']], $bands),
                    $profile,
                );
            }
            Files::moveFolder($part, $call->outputs['result']);
        } finally {
            Files::remove($part);
        }

        return $figures;
    }

    /** @return array<string, list<array{entry: string, band: Band}>> */
    private function groups(Call $call, Profile $profile, Contents $contents): array
    {
        $groups = [];
        foreach ($call->texts('groups') as $group) {
            $bands = $profile->bands($group);
            if ($bands === []) {
                throw Problem::input("$contents->name has no $group bands; leave that group out.", 'groups');
            }
            foreach ($bands as ['file' => $file, 'pattern' => $pattern, 'band' => $band]) {
                $entry = $contents->entry($file, $pattern);
                if ($entry === null) {
                    throw Problem::input(
                        "$contents->name lacks the file of its ".
                            ($band->role ?? $band->name).
                            " band ($file): download the bundle again, leave out the group $group, or assign the bands by hand. It contains ".
                            $contents->some().
                            '.',
                        'image',
                    );
                }
                $target =
                    $group === 'thermal' && $call->text('thermal') === 'joined' && in_array('multispectral', $call->texts('groups'), true)
                        ? 'multispectral'
                        : $group;
                $groups[$target][] = ['entry' => $entry->name, 'band' => $band];
            }
        }

        return $groups;
    }

    /**
     * @param  list<array{path: string, band: Band}>  $bands
     * @return array<string, mixed>
     */
    private function image(Call $call, Context $context, string $path, string $group, array $bands, Profile $profile): array
    {
        $images = array_map(fn (array $band): GeoTiffImage => new GeoTiffImage($band['path']), $bands);
        OneGrid::check($images);
        $first = $images[0]->spec();
        foreach ($images as $image) {
            if ($image->spec()->type !== $first->type) {
                throw Problem::input(
                    "The bands of the group $group have different sample types ({$first->type->value}, {$image->spec()->type->value}) and can't make "
                        .'one image.',
                );
            }
        }
        $spec = new RasterSpec(
            $first->grid,
            array_column($bands, 'band'),
            $first->type,
            $first->nodata ?? $profile->fill($group),
            properties: $profile->properties(),
        );
        $production = new Production(
            ['result' => ['path' => $path, 'spec' => $spec]],
            fn (Window $window): array => [
                'result' => array_map(fn (GeoTiffImage $image): array => Values::of($image, 0, $window), $images),
            ],
            $context,
            count($bands),
            stored: StoredTiles::passing(array_map(fn (GeoTiffImage $image): array => [$image, 0], $images), $spec),
        );

        return ['file' => basename($path)] + $production->run($call->provenance(), "reading $group")['result'];
    }
}
