<?php

namespace Chorometra\Core\Format\Bundle;

/** What is in a delivery: its files, and what its metadata say of them. A bundle within a bundle is looked into. */
final readonly class Contents
{
    private const MOST_TEXT = 1 << 20;

    /**
     * @param  list<Entry>  $entries
     * @param  Profile|null  $profile  null where the sensor is not known
     */
    private function __construct(public string $name, public PackedFiles $archive, public array $entries, public ?Profile $profile, public bool $hasMetadata) {}

    /**
     * @param  string  $scratch  a folder for what is packed doubly
     * @param  float|null  $seconds  for looking through it
     *
     * @throws TooLong where they did not suffice
     */
    public static function of(string $path, string $scratch, ?float $seconds = null): self
    {
        $archive = PackedFiles::open($path, $seconds);
        $name = $archive->label();
        [$entries, $metadata, $stac] = self::look($archive);
        $inner = array_values(array_filter($entries, fn (Entry $entry): bool => preg_match('/\.(tar|tgz|tar\.gz|zip)$/i', $entry->name) === 1));
        $rasters = array_filter($entries, fn (Entry $entry): bool => preg_match('/\.tiff?$/i', $entry->name) === 1);
        if ($rasters === [] && count($inner) === 1) {
            $file = "$scratch/inner-".bin2hex(random_bytes(4)).'-'.preg_replace('/[^\w.-]/', '', $inner[0]->base());
            $archive->extract([$inner[0]->name => $file]);
            $archive = PackedFiles::open($file, $seconds);
            [$entries, $metadata, $stac] = self::look($archive);
        }

        return new self($name, $archive, $entries, $stac ?? SensorProfile::for($metadata), $metadata !== [] || $stac !== null);
    }

    /** The entry that holds a band, null where there is none. */
    public function entry(string $file, bool $isPattern): ?Entry
    {
        foreach ($this->entries as $entry) {
            if (
                $isPattern
                    ? preg_match('~'.str_replace('~', '\~', $file).'~i', $entry->name) === 1
                    : strcasecmp($entry->base(), $file) === 0 || $entry->name === $file
            ) {
                return $entry;
            }
        }

        return null;
    }

    /** @return list<string> names of the image files */
    public function rasters(): array
    {
        return array_values(
            array_map(
                fn (Entry $entry): string => $entry->base(),
                array_filter($this->entries, fn (Entry $entry): bool => preg_match('/\.tiff?$/i', $entry->name) === 1),
            ),
        );
    }

    /** A sentence's part that tells what was found. */
    public function some(): string
    {
        $names = array_map(fn (Entry $entry): string => $entry->base(), array_slice($this->entries, 0, 6));

        return $names === [] ? 'nothing' : implode(', ', $names).(count($this->entries) > 6 ? ' and '.(count($this->entries) - 6).' more' : '');
    }

    /** @return array{list<Entry>, array<string, string>, StacProfile|null} */
    private static function look(PackedFiles $archive): array
    {
        $metadata = [];
        $stac = null;
        $entries = $archive->entries(function (Entry $entry, callable $read) use (&$metadata, &$stac): void {
            if ($entry->size >= self::MOST_TEXT) {
                return;
            }
            if (preg_match('/\.(txt|met|mtl|odl|pvl)$/i', $entry->name)) {
                $found = Metadata::parse($read($entry->size));
                $metadata = count($found) > count($metadata) ? $found : $metadata;
            } elseif (preg_match('/\.json$/i', $entry->name)) {
                $stac ??= StacProfile::parse($read($entry->size));
            }
        });

        return [$entries, $metadata, $metadata === [] ? $stac : (SensorProfile::for($metadata) === null ? $stac : null)];
    }
}
