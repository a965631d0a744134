<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Format\UntrustedValue;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;

/**
 * How a mission's bundles are read: which metadata keys tell what, and which file is which band. A JSON file in
 * core/resources/sensors, described by core/resources/sensor.schema.json; adding one needs no code.
 */
final readonly class SensorProfile implements Profile
{
    private const FOLDER = __DIR__.'/../../../resources/sensors';

    /**
     * @param  array<string, mixed>  $json
     * @param  array<string, string>  $metadata
     */
    private function __construct(private array $json, private array $metadata) {}

    /** @param  array<string, string>  $metadata */
    public static function for(array $metadata): ?self
    {
        foreach (self::all() as $json) {
            foreach ($json['match'] as $key => $values) {
                if (! in_array($metadata[$key] ?? null, (array) $values, true)) {
                    continue 2;
                }
            }

            return new self($json, $metadata);
        }

        return null;
    }

    /** @return list<string> titles of the sensors that are known */
    public static function known(): array
    {
        return array_column(self::all(), 'title');
    }

    public function title(): string
    {
        return $this->json['title'];
    }

    public function properties(): array
    {
        $keys = $this->json['keys'];
        $number = fn (string $name): ?float => (new UntrustedValue($this->metadata[$keys[$name] ?? ''] ?? null))->number();
        $date = Properties::date($this->metadata[$keys['date']] ?? null);
        $time = substr($this->metadata[$keys['time'] ?? ''] ?? '', 0, 8);
        $time = preg_match('/^\d\d:\d\d:\d\d$/', $time) ? $time : '00:00:00';

        return array_filter([
            'datetime' => $date === null ? null : substr($date, 0, 10)."T{$time}Z",
            'platform' => $this->json['platform'] ?? strtolower(str_replace('_', '-', $this->metadata[$keys['platform'] ?? ''] ?? '')),
            'instruments' => [$this->json['instrument']],
            'view:sun_elevation' => $number('sun_elevation'),
            'view:sun_azimuth' => $number('sun_azimuth'),
            'eo:cloud_cover' => $number('cloud_cover'),
            'chorometra:earth_sun_distance' => $number('earth_sun_distance'),
        ], fn (mixed $value): bool => $value !== null && $value !== '');
    }

    public function bands(string $group): array
    {
        $found = [];
        foreach ($this->json['bands'] as $band) {
            if ($band['group'] !== $group) {
                continue;
            }
            $key = fn (string $pattern): string => str_replace('{n}', (string) $band['number'], $pattern);
            $constants = array_map(floatval(...), $band['constants'] ?? []);
            foreach ($this->json['constants'] as $name => $pattern) {
                $value = (new UntrustedValue($this->metadata[$key($pattern)] ?? null))->number();
                if ($value !== null) {
                    $constants[$name] = $value;
                }
            }
            $file = isset($band['pattern']) ? $band['pattern'] : ($this->metadata[$key($band['file'] ?? $this->json['file'])] ?? null);
            if ($file !== null) {
                $unit = in_array($group, ['quality', 'gap-mask'], true) ? null : 'counts';
                $found[] = [
                    'file' => $file,
                    'pattern' => isset($band['pattern']),
                    'band' => new Band(
                        $band['role'] ?? null,
                        $band['name'] ?? ($band['role'] ?? null),
                        $band['wavelength'] ?? null,
                        $band['bandwidth'] ?? null,
                        $unit,
                        $constants,
                    ),
                ];
            }
        }

        return $found;
    }

    public function fill(string $group): ?float
    {
        return isset($this->json['fill'][$group]) ? (float) $this->json['fill'][$group] : null;
    }

    /** @return list<array<string, mixed>> */
    private static function all(): array
    {
        $profiles = [];
        foreach (glob(self::FOLDER.'/*.json') ?: [] as $file) {
            $json = json_decode((string) file_get_contents($file), true);
            if (! is_array($json)) {
                throw Problem::computation('The sensor profile '.basename($file).' is no valid JSON.');
            }
            $profiles[] = $json;
        }

        return $profiles;
    }
}
