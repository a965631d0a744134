<?php

namespace App\Support;

/** Addresses that settings name: stand-ins move with the server. */
final class Services
{
    /** Where the air over a place is asked for: a collection of OGC API – EDR. */
    public static function atmosphere(): string
    {
        $address = config()->string('chorometra.atmosphere');

        return $address === Archives::STANDIN ? rtrim(config()->string('app.url'), '/').'/standin/atmosphere/collections/air' : $address;
    }

    /**
     * Settings with real addresses.
     *
     * @param  array<string, mixed>  $settings
     * @return array<string, mixed>
     */
    public static function settled(string $kind, array $settings): array
    {
        if ($kind === 'gather.order' && is_string($settings['archive'] ?? null)) {
            return ['archive' => Archives::url($settings['archive'])] + $settings;
        }
        if ($kind === 'correct.surface' && ($settings['service'] ?? null) === Archives::STANDIN) {
            return ['service' => self::atmosphere()] + $settings;
        }

        return $settings;
    }
}
