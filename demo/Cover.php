<?php

namespace Chorometra\Demo;

/** What can lie on the ground of Orvane Sound, and how it reflects. */
enum Cover: int
{
    case Deep = 1;
    case Shallow = 2;
    case Flat = 3;
    case Marsh = 4;
    case Pasture = 5;
    case Crop = 6;
    case Soil = 7;
    case Wood = 8;
    case Town = 9;
    case Quarry = 10;

    public function label(): string
    {
        return match ($this) {
            self::Deep => 'deep water',
            self::Shallow => 'shallow water',
            self::Flat => 'tidal flat',
            self::Marsh => 'salt marsh',
            self::Pasture => 'pasture',
            self::Crop => 'crops',
            self::Soil => 'bare soil',
            self::Wood => 'woodland',
            self::Town => 'town',
            self::Quarry => 'quarry',
        };
    }

    public function colour(): string
    {
        return match ($this) {
            self::Deep => '#26456e',
            self::Shallow => '#4f81b5',
            self::Flat => '#a89c86',
            self::Marsh => '#7d8f4e',
            self::Pasture => '#9cc069',
            self::Crop => '#d9c25a',
            self::Soil => '#b98d62',
            self::Wood => '#3d6b3a',
            self::Town => '#b0565a',
            self::Quarry => '#d9d6cf',
        };
    }

    /** Whether the seasons show on it. */
    public function grows(): bool
    {
        return in_array($this, [self::Marsh, self::Pasture, self::Crop, self::Wood], true);
    }

    public function isWater(): bool
    {
        return $this === self::Deep || $this === self::Shallow;
    }

    /**
     * Surface reflectance in blue, green, red, nir, swir1, swir2 and pan; then temperature in kelvin at midday. Made up, with the
     * usual shape of such spectra.
     *
     * @return list<float>
     */
    public function spectrum(): array
    {
        return match ($this) {
            self::Deep => [0.046, 0.045, 0.027, 0.010, 0.005, 0.003, 0.038, 286.0],
            self::Shallow => [0.058, 0.071, 0.049, 0.020, 0.008, 0.005, 0.060, 288.0],
            self::Flat => [0.072, 0.090, 0.103, 0.118, 0.095, 0.068, 0.090, 292.0],
            self::Marsh => [0.034, 0.064, 0.052, 0.255, 0.152, 0.080, 0.052, 293.0],
            self::Pasture => [0.038, 0.078, 0.058, 0.370, 0.208, 0.108, 0.062, 294.0],
            self::Crop => [0.036, 0.090, 0.068, 0.440, 0.190, 0.092, 0.070, 293.5],
            self::Soil => [0.050, 0.073, 0.098, 0.162, 0.262, 0.222, 0.082, 300.0],
            self::Wood => [0.024, 0.050, 0.033, 0.300, 0.138, 0.060, 0.037, 291.0],
            self::Town => [0.094, 0.110, 0.124, 0.182, 0.214, 0.186, 0.112, 301.0],
            self::Quarry => [0.222, 0.262, 0.301, 0.362, 0.421, 0.382, 0.268, 302.0],
        };
    }
}
