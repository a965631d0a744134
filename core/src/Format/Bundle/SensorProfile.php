<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;

/**
 * How a mission's bundles are read: which metadata keys tell what, and which file is which band. A JSON file in
 * core/resources/sensors; adding one needs no code.
 */
final readonly class SensorProfile
{
    private const FOLDER = __DIR__.'/../../../resources/sensors';

    /** @param  array<string, mixed>  $json */
    private function __construct(private array $json) {}

    /** @param  array<string, string>  $metadata */
    public static function for(array $metadata, string $bundle): self
    {
        $known = [];
        foreach (glob(self::FOLDER.'/*.json') ?: [] as $file) {
            $json = json_decode((string) file_get_contents($file), true);
            if (! is_array($json)) {
                throw Problem::computation('The sensor profile '.basename($file).' is no valid JSON.');
            }
            if (array_intersect_assoc($json['match'], $metadata) === $json['match']) {
                return new self($json);
            }
            $known[] = $json['title'];
        }
        throw Problem::input("$bundle comes from a sensor that is not known here; known are ".implode(', ', $known).'. Add a sensor profile (docs/formats.md).');
    }

    /**
     * @param  array<string, string>  $metadata
     * @return array<string, mixed> STAC properties
     */
    public function properties(array $metadata): array
    {
        $keys = $this->json['keys'];
        $number = fn (string $name): ?float => is_numeric($metadata[$keys[$name] ?? ''] ?? null) ? (float) $metadata[$keys[$name]] : null;
        $date = $metadata[$keys['date']] ?? null;
        $time = rtrim($metadata[$keys['time'] ?? ''] ?? '00:00:00', 'Z');

        return array_filter([
            'datetime' => $date === null ? null : $date.'T'.substr($time, 0, 8).'Z',
            'platform' => $this->json['platform'],
            'instruments' => [$this->json['instrument']],
            'view:sun_elevation' => $number('sun_elevation'),
            'view:sun_azimuth' => $number('sun_azimuth'),
            'eo:cloud_cover' => $number('cloud_cover'),
            'chorometra:earth_sun_distance' => $number('earth_sun_distance'),
        ], fn (mixed $value): bool => $value !== null);
    }

    /**
     * The bands of a group: file name in the bundle and what the band is.
     *
     * @param  array<string, string>  $metadata
     * @return list<array{file: string, band: Band}>
     */
    public function bands(string $group, array $metadata): array
    {
        $found = [];
        foreach ($this->json['bands'] as $band) {
            if ($band['group'] !== $group) {
                continue;
            }
            $key = fn (string $pattern): string => str_replace('{n}', (string) $band['number'], $pattern);
            $constants = [];
            foreach ($this->json['constants'] as $name => $pattern) {
                $value = $metadata[$key($pattern)] ?? null;
                if (is_numeric($value)) {
                    $constants[$name] = (float) $value;
                }
            }
            $file = $metadata[$key($this->json['file'])] ?? null;
            if ($file !== null) {
                $found[] = ['file' => $file, 'band' => new Band($band['role'], $band['name'] ?? $band['role'], $band['wavelength'] ?? null, $band['bandwidth'] ?? null, $group === 'quality' ? null : 'counts', $constants)];
            }
        }

        return $found;
    }

    public function fill(string $group): ?float
    {
        return isset($this->json['fill'][$group]) ? (float) $this->json['fill'][$group] : null;
    }

    public function title(): string
    {
        return $this->json['title'];
    }
}
