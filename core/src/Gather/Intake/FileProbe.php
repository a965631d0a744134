<?php

namespace Chorometra\Core\Gather\Intake;

use Chorometra\Core\Format\Bundle\Contents;
use Chorometra\Core\Format\Bundle\TooLong;
use Chorometra\Core\Format\Npz;
use Chorometra\Core\Format\Rasters;
use Chorometra\Core\Format\Vector\FeatureSet;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\FileContents;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Work\Scratch;

/** What a file is, before it is taken in: in words, by which kind of step, and what it holds and lacks. */
final readonly class FileProbe
{
    /** Features of a file that are looked at before it is taken in. */
    private const LOOKED_AT = 10_000;

    /** Bytes of a text beyond which it is looked through when it is taken in. */
    private const LARGE = 64 << 20;

    /** Seconds that an archive is looked through for at the door. */
    private const SECONDS = 3.0;

    private const GROUPS = ['multispectral', 'pan', 'thermal', 'cirrus', 'quality', 'gap-mask'];

    /**
     * @param  string|null  $kind  of step that takes it in; null for what steps use as it is
     * @param  array<string, mixed>  $facts
     * @param  list<string>  $lacks  settings that have to be given by hand
     */
    private function __construct(public string $what, public ?string $kind, public array $facts, public array $lacks = []) {}

    /** @throws Problem where it is nothing that can be read */
    public static function of(string $path): self
    {
        $head = is_dir($path) ? '' : (string) @file_get_contents($path, false, null, 0, 512);
        $vector = is_dir($path) ? null : Vectors::format($path);

        return match (true) {
            ($raster = Rasters::format($path)) !== null => self::raster($raster, Rasters::described($path)),
            $vector === 'GeoJSON' && filesize($path) > self::LARGE => new self($vector, 'gather.features', [
                'features' => 'too many to count here; counted when it is read',
                'bytes' => filesize($path),
            ]),
            $vector !== null => self::vector($path),
            ($contents = self::contents($path)) !== null => new self(
                preg_replace('/^an? /', '', $contents->words()) ?? '',
                null,
                FileContents::facts($path, $contents),
            ),
            str_starts_with($head, "PK\x03\x04") && Npz::is($path) => new self('NumPy archive', null, [
                'arrays' => array_map(fn (array $array): string => "{$array['type']} x {$array['count']}", (new Npz($path))->arrays),
            ]),
            is_dir($path), str_starts_with($head, "PK\x03\x04"), str_starts_with($head, "\x1f\x8b"), substr($head, 257, 5) === 'ustar' => self::bundle($path),
            default => throw Problem::input(
                basename($path).
                    ' is neither a scene bundle (tar, tar.gz, zip) nor an image (GeoTIFF, PNG, JPEG) nor features (GeoJSON, GeoPackage, shapefile) '
                        .'nor a table (CSV) nor any other file that steps make or use.',
                'file',
            ),
        };
    }

    /** What says itself that it is none of the others. */
    private static function contents(string $path): ?PortType
    {
        return is_dir($path) ? null : (FileContents::of($path) ?? (str_ends_with(strtolower($path), '.csv') ? PortType::Table : null));
    }

    private static function raster(string $what, RasterSpec $spec): self
    {
        $complex = $spec->bands[0]->part === 'real';
        $roles = array_map(fn (Band $band): ?string => $band->role, $spec->bands);
        $lacks = [];
        if ($spec->grid->epsg === null && $spec->grid->geoKeys === null) {
            $lacks[] = 'crs';
        }
        if (in_array(null, $roles, true) && count($roles) > 1) {
            $lacks[] = 'roles';
        }

        return new self(
            $complex ? "$what of complex samples" : $what,
            'gather.image',
            [
                'size' => "{$spec->grid->width} x {$spec->grid->height} pixels",
                'bands' => $complex ? intdiv(count($roles), 2) : count($roles),
                'roles' => implode(', ', array_filter($roles)) ?: null,
                'samples' => $spec->type->value,
                'nodata' => $spec->nodata === null ? null : (is_nan($spec->nodata) ? 'NaN' : $spec->nodata),
                'crs' => $spec->grid->epsg !== null
                        ? trim("EPSG:{$spec->grid->epsg} ".Crs::name($spec->grid->epsg))
                        : ($spec->grid->geoKeys !== null
                            ? 'a CRS of its own'
                            : null),
                'datum' => ($datum = Crs::datum($spec->grid)) === null || $datum->name === 'WGS 84' ? null : $datum->words(),
                'ground control points' => $spec->grid->controls === null ? null : count($spec->grid->controls),
                'pixel' => $spec->grid->controls === null && $spec->grid->isReferenced() ? sqrt($spec->grid->pixelArea()) : null,
                'date' => isset($spec->properties['datetime']) ? substr((string) $spec->properties['datetime'], 0, 10) : null,
            ],
            $lacks,
        );
    }

    private static function vector(string $path): self
    {
        $set = Vectors::read($path);
        $counts = [];
        $seen = 0;
        $fields = [];
        foreach ($set->features() as ['geometry' => $geometry, 'properties' => $properties]) {
            $fields = $seen === 0 ? array_keys($properties) : $fields;
            // all of a large file are looked at when it is taken in
            if (++$seen > self::LOOKED_AT) {
                break;
            }
            $counts[FeatureSet::type($geometry)] = ($counts[FeatureSet::type($geometry)] ?? 0) + 1;
        }
        $isAll = $seen <= self::LOOKED_AT;

        return new self(
            $set->format,
            'gather.features',
            [
                'features' => $isAll ? $seen : $set->count ?? 'more than '.number_format(self::LOOKED_AT),
                'kinds' => implode(', ', array_map(fn (string $type, int $count): string => "$count $type", array_keys($counts), $counts)).
                    ($isAll ? '' : ' among the first'),
                'crs' => $set->crs,
                'fields' => implode(', ', $fields) ?: null,
            ],
            $set->projection === null ? ['crs'] : [],
        );
    }

    private static function bundle(string $path): self
    {
        $scratch = new Scratch(sys_get_temp_dir());
        try {
            $contents = Contents::of($path, $scratch->folder(), self::SECONDS);
        } catch (TooLong) {
            return new self('scene bundle', 'gather.bundle', ['contents' => 'too large to scan here; scanned when it is read']);
        } finally {
            $scratch->clean();
        }
        $profile = $contents->profile;
        $groups = [];
        $missing = [];
        foreach (self::GROUPS as $group) {
            foreach ($profile?->bands($group) ?? [] as ['file' => $file, 'pattern' => $pattern, 'band' => $band]) {
                if ($contents->entry($file, $pattern) !== null) {
                    $groups[$group][] = $band->role ?? $band->name;
                } elseif (! $pattern) {
                    $missing[] = $file;
                }
            }
        }
        $properties = $profile?->properties() ?? [];

        return new self('scene bundle', 'gather.bundle', [
            'sensor' => $profile?->title() ?? 'not known here',
            'date' => isset($properties['datetime']) ? substr((string) $properties['datetime'], 0, 10) : null,
            'sun elevation' => $properties['view:sun_elevation'] ?? null,
            'groups' => array_map(fn (array $roles): string => implode(', ', $roles), $groups) ?: null,
            'missing' => implode(', ', $missing) ?: null,
            'files' => $contents->rasters(),
        ], $profile === null ? ['assign'] : []);
    }
}
