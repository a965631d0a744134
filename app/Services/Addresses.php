<?php

namespace App\Services;

use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Service;

/** Addresses that settings name: stand-ins move with the server. */
final class Addresses
{
    /** Where the air over a place is asked for: a collection of OGC API – EDR. */
    public static function atmosphere(): string
    {
        $address = config()->string('chorometra.atmosphere');

        return $address === Archives::STANDIN ? rtrim(config()->string('app.url'), '/').'/standin/atmosphere/collections/air' : $address;
    }

    /**
     * Settings with real addresses, where they name a stand-in or an archive that was added.
     *
     * @param  array<string, mixed>  $settings
     * @return array<string, mixed>
     */
    public static function addressed(Declaration $declaration, array $settings): array
    {
        foreach ($declaration->settings as $setting) {
            $told = $settings[$setting->name] ?? null;
            if ($setting->service !== null && is_string($told)) {
                $settings[$setting->name] = match ($setting->service) {
                    Service::Archive => Archives::url($told),
                    Service::Atmosphere => $told === Archives::STANDIN ? self::atmosphere() : $told,
                };
            }
        }

        return $settings;
    }
}
