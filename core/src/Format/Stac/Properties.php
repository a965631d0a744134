<?php

namespace Chorometra\Core\Format\Stac;

use Chorometra\Core\Format\UntrustedValue;

/** The properties of a STAC Item as they may be reckoned with: numbers where numbers belong, dates that are dates. */
final class Properties
{
    private const MOST = 200;

    private const NUMBERS = '/^(view:|eo:cloud_cover$|eo:snow_cover$|gsd$'
        .'|sar:(looks|resolution|pixel_spacing|center_frequency)|chorometra:earth_sun_distance$)/';

    private const DATES = ['datetime', 'start_datetime', 'end_datetime', 'created', 'updated'];

    private const LISTS = ['instruments', 'sar:polarizations'];

    /** @return array<string, string|float|int|bool|list<string>> what is of another type than it should be is left out */
    public static function of(UntrustedValue $properties): array
    {
        $sound = [];
        foreach (array_slice($properties->members(), 0, self::MOST) as $name => $told) {
            $value = match (true) {
                ! mb_check_encoding((string) $name, 'UTF-8') => null,
                in_array($name, self::DATES, true) => self::date($told->text()),
                in_array($name, self::LISTS, true) => $told->texts() ?: null,
                preg_match(self::NUMBERS, (string) $name) === 1 => $told->number(),
                default => $told->plain(),
            };
            if ($value !== null) {
                $sound[(string) $name] = $value;
            }
        }

        return $sound;
    }

    /** A moment as RFC 3339 writes it. */
    public static function date(?string $text): ?string
    {
        return $text !== null &&
            preg_match('/^\d{4}-(\d\d)-(\d\d)(T[\d:.]+(Z|[+-]\d\d:?\d\d)?)?$/', $text, $match) &&
            checkdate((int) $match[1], (int) $match[2], (int) substr($text, 0, 4) ?: 1)
            ? $text
            : null;
    }

    /**
     * What holds of all images together: what all of them tell alike, and the first and the last of their dates. Angles of the sun or a platform
     * that differ would be wrong for part of the pixels.
     *
     * @param  list<array<string, mixed>>  $all
     * @return array<string, mixed>
     */
    public static function over(array $all): array
    {
        $dates = [];
        foreach ($all as $properties) {
            $own = isset($properties['datetime']) ? [$properties['datetime']] : [$properties['start_datetime'] ?? null, $properties['end_datetime'] ?? null];
            array_push($dates, ...array_filter($own, is_string(...)));
        }
        sort($dates);
        $alike = array_filter(
            $all[0] ?? [],
            fn (mixed $value, string $name): bool => count(array_filter($all, fn (array $one): bool => ($one[$name] ?? null) === $value)) === count($all),
            ARRAY_FILTER_USE_BOTH,
        );
        $alike = array_diff_key($alike, ['datetime' => true, 'start_datetime' => true, 'end_datetime' => true]);

        return match (count(array_unique($dates))) {
            0 => $alike,
            1 => ['datetime' => $dates[0]] + $alike,
            default => ['start_datetime' => $dates[0], 'end_datetime' => $dates[count($dates) - 1]] + $alike,
        };
    }
}
