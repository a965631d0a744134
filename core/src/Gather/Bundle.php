<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Engine\Context;
use Chorometra\Core\Engine\Production;
use Chorometra\Core\Format\Bundle\Archive;
use Chorometra\Core\Format\Bundle\Entry;
use Chorometra\Core\Format\Bundle\Metadata;
use Chorometra\Core\Format\Bundle\SensorProfile;
use Chorometra\Core\Format\Files;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Window;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Source;
use Chorometra\Core\Step\WholeKind;

/** Reads a level-1 scene as delivered: one GeoTIFF per band and a metadata text, packed or in a folder. */
final class Bundle implements WholeKind
{
    public const GROUPS = ['multispectral', 'pan', 'thermal', 'cirrus', 'quality', 'gap-mask'];

    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.bundle',
            'Scene bundle',
            'Reads a scene as it was delivered and makes one image per group of bands, with roles, wavelengths, gains and sun angles.',
            [new Port('image', PortType::File, 'The bundle: tar, tar.gz, zip or a folder.')],
            [
                Setting::choices('groups', self::GROUPS, ['multispectral'], 'Which groups of bands to take in.'),
                Setting::choice('thermal', ['own', 'joined'], 'own', 'Whether thermal bands make an image of their own or join the multispectral ones.'),
            ],
            [new Port('result', PortType::Folder, 'A folder with one image per group.', endings: [''])],
            'Metadata notation: CCSDS 641.0-B-2 (Parameter Value Language). Band tables: the sensor profiles in core/resources/sensors.',
        );
    }

    public function memory(Call $call): int
    {
        return 256 << 20;
    }

    public function compute(Call $call): array
    {
        $archive = Archive::open($call->path('image'));
        $call->context->report(0.0, 'looking into the bundle');
        $metadata = [];
        $entries = $archive->entries(function (Entry $entry, callable $read) use (&$metadata): void {
            if (preg_match('/\.(txt|met|mtl|odl|pvl)$/i', $entry->name) && $entry->size < 1 << 20) {
                $found = Metadata::parse($read($entry->size));
                $metadata = count($found) > count($metadata) ? $found : $metadata;
            }
        });
        if ($metadata === []) {
            throw Problem::input("{$archive->label()} holds no metadata text that can be read, only ".$this->some($entries).'.', 'image');
        }
        $profile = SensorProfile::for($metadata, $archive->label());
        $groups = $this->groups($call, $profile, $metadata, $archive, $entries);
        $folder = $call->context->folder().'/bundle';
        mkdir($folder);
        $wanted = [];
        foreach ($groups as $bands) {
            foreach ($bands as $band) {
                $wanted[$band['entry']] = $folder.'/'.count($wanted).'-'.basename($band['entry']);
            }
        }
        $call->context->report(0.05, 'unpacking '.count($wanted).' bands');
        $archive->extract($wanted);

        // all groups or none: the folder appears when the last is written
        $part = $call->outputs['result'].'.'.getmypid().'.part';
        $figures = ['sensor' => $profile->title(), 'metadata' => $profile->properties($metadata), 'groups' => []];
        $index = 0;
        try {
            foreach ($groups as $group => $bands) {
                $context = $call->context->part(0.2 + 0.8 * $index / count($groups), 0.2 + 0.8 * ++$index / count($groups));
                $figures['groups'][$group] = $this->image($call, $context, "$part/$group.tif", $group, array_map(fn (array $band): array => ['path' => $wanted[$band['entry']], 'band' => $band['band']], $bands), $profile, $metadata);
            }
            Files::moveFolder($part, $call->outputs['result']);
        } finally {
            Files::remove($part);
        }

        return $figures;
    }

    /**
     * @param  array<string, string>  $metadata
     * @param  list<Entry>  $entries
     * @return array<string, list<array{entry: string, band: Band}>>
     */
    private function groups(Call $call, SensorProfile $profile, array $metadata, Archive $archive, array $entries): array
    {
        $byName = [];
        foreach ($entries as $entry) {
            $byName[$entry->base()] = $entry->name;
        }
        $groups = [];
        foreach ($call->texts('groups') as $group) {
            $bands = $profile->bands($group, $metadata);
            if ($bands === []) {
                throw Problem::input("{$archive->label()} has no $group bands; leave that group out.", 'groups');
            }
            foreach ($bands as ['file' => $file, 'band' => $band]) {
                if (! isset($byName[$file])) {
                    throw Problem::input("{$archive->label()} lacks the file $file of its {$band->role} band: get the bundle anew, or leave the group $group out.", 'image');
                }
                $target = $group === 'thermal' && $call->text('thermal') === 'joined' && in_array('multispectral', $call->texts('groups'), true) ? 'multispectral' : $group;
                $groups[$target][] = ['entry' => $byName[$file], 'band' => $band];
            }
        }

        return $groups;
    }

    /**
     * @param  list<array{path: string, band: Band}>  $bands
     * @param  array<string, string>  $metadata
     * @return array<string, mixed>
     */
    private function image(Call $call, Context $context, string $path, string $group, array $bands, SensorProfile $profile, array $metadata): array
    {
        $images = array_map(fn (array $band): GeoTiffImage => new GeoTiffImage($band['path']), $bands);
        Plan::sameGrid(array_map(fn (GeoTiffImage $image): Source => new Source($image, [0]), $images));
        $first = $images[0]->spec();
        foreach ($images as $image) {
            if ($image->spec()->type !== $first->type) {
                throw Problem::input("The bands of the group $group have different sample types ({$first->type->value}, {$image->spec()->type->value}) and can't make one image.");
            }
        }
        $spec = new RasterSpec($first->grid, array_column($bands, 'band'), $first->type, $first->nodata ?? $profile->fill($group), properties: $profile->properties($metadata));
        $production = new Production(['result' => ['path' => $path, 'spec' => $spec]], fn (Window $window): array => [
            'result' => array_map(fn (GeoTiffImage $image): array => Codec::values($image->read(0, $window), $spec->type, $spec->nodata), $images),
        ], $context, count($bands));

        return ['file' => basename($path)] + $production->run($call->made(), "reading $group")['result'];
    }

    /** @param  list<Entry>  $entries */
    private function some(array $entries): string
    {
        $names = array_map(fn (Entry $entry): string => $entry->base(), array_slice($entries, 0, 5));

        return $names === [] ? 'nothing' : implode(', ', $names).(count($entries) > 5 ? ' …' : '');
    }
}
