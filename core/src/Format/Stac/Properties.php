<?php

namespace Chorometra\Core\Format\Stac;

use Chorometra\Core\Format\Told;

/** The properties of a STAC Item as they may be reckoned with: numbers where numbers belong, dates that are dates. */
final class Properties
{
    private const MOST = 200;

    private const NUMBERS = '/^(view:|eo:cloud_cover$|eo:snow_cover$|gsd$'
        .'|sar:(looks|resolution|pixel_spacing|center_frequency)|chorometra:earth_sun_distance$)/';

    private const DATES = ['datetime', 'start_datetime', 'end_datetime', 'created', 'updated'];

    private const LISTS = ['instruments', 'sar:polarizations'];

    /** @return array<string, string|float|int|bool|list<string>> what is of another type than it should be is left out */
    public static function of(Told $properties): array
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
     * What is told of several images together: of the first, with the first and the last of their dates where they differ.
     *
     * @param  non-empty-list<array<string, mixed>>  $all
     * @return array<string, mixed>
     */
    public static function over(array $all): array
    {
        $dates = array_values(array_filter(array_map(fn (array $one): mixed => $one['datetime'] ?? null, $all), is_string(...)));
        sort($dates);

        return count($dates) < 2 || $dates[0] === $dates[count($dates) - 1]
            ? $all[0]
            : ['start_datetime' => $dates[0], 'end_datetime' => $dates[count($dates) - 1]] + array_diff_key($all[0], ['datetime' => true]);
    }
}
