<?php

namespace Chorometra\Core\Correct\Air;

/**
 * The air over a place, and what it does to light on its way down and up again, seen from straight above.
 *
 * One homogeneous layer of molecules and aerosol over ground that reflects alike in all directions, under ozone and water vapour that
 * only absorb; other gases are left out.
 *
 * Rayleigh optical depth: Hansen & Travis 1974, Space Science Reviews 16:527–610. Visibility: Koschmieder 1924. Both from memory.
 */
final class Atmosphere
{
    /**
     * Ångström exponent, single-scattering albedo and asymmetry, taken as the same at all wavelengths: after WCP-112 (1986), desert after
     * Shettle 1984; from memory, rounded.
     */
    public const AEROSOLS = [
        'continental' => [1.2, 0.89, 0.64],
        'maritime' => [0.2, 0.99, 0.74],
        'urban' => [1.3, 0.65, 0.59],
        'desert' => [0.3, 0.945, 0.70],
    ];

    /** Kilometres over which aerosol thins out by e: common practice, no source. */
    private const AEROSOL_HEIGHT = 2.0;

    /** Extinction by a distance at which a dark thing is lost to the eye (a contrast of 2 %). */
    private const CONTRAST = 3.912;

    /** Extinction of molecules at 0.55 µm and sea level, km⁻¹; from memory. */
    private const MOLECULES = 0.0116;

    /** Places within a band that the air is looked at. */
    private const SAMPLES = 9;

    /** @var array<string, BandAir> */
    private array $known = [];

    /**
     * @param  float  $sunElevation  degrees above the horizon
     * @param  string  $aerosol  one of AEROSOLS
     * @param  float  $aot550  optical depth of aerosol at 0.55 µm over the place
     * @param  float  $water  vapour, g cm⁻²
     * @param  float  $ozone  Dobson units
     * @param  float  $elevation  of the ground, metres
     */
    public function __construct(
        public readonly float $sunElevation,
        public readonly string $aerosol,
        public readonly float $aot550,
        public readonly float $water,
        public readonly float $ozone,
        public readonly float $elevation,
    ) {}

    /**
     * Optical depth of molecules down to sea level.
     *
     * @param  float  $wavelength  µm, 0.25 to 4
     */
    public static function rayleigh(float $wavelength): float
    {
        $w = $wavelength ** -2;

        return 0.008569 * $w * $w * (1 + 0.0113 * $w + 0.00013 * $w * $w);
    }

    /** Air pressure over that at sea level, by metres of height: ISO 2533 (Standard Atmosphere), from memory. */
    public static function pressure(float $elevation): float
    {
        return (1 - 2.25577e-5 * $elevation) ** 5.25588;
    }

    /** Optical depth of aerosol at 0.55 µm by how many kilometres one sees; below 0 where clean air alone hides more. */
    public static function aot(float $visibility): float
    {
        return (self::CONTRAST / $visibility - self::MOLECULES) * self::AEROSOL_HEIGHT;
    }

    /** How many kilometres one sees under such an optical depth at 0.55 µm. */
    public static function visibility(float $aot): float
    {
        return self::CONTRAST / ($aot / self::AEROSOL_HEIGHT + self::MOLECULES);
    }

    /**
     * What the air does in a band.
     *
     * @param  float  $wavelength  centre, µm
     * @param  float  $bandwidth  µm, taken as sensitive alike all over; 0 for the centre alone
     */
    public function at(float $wavelength, float $bandwidth = 0.0): BandAir
    {
        return $this->known["$wavelength/$bandwidth"] ??= $this->through($wavelength, $bandwidth);
    }

    private function through(float $wavelength, float $bandwidth): BandAir
    {
        [$exponent, $albedo, $asymmetry] = self::AEROSOLS[$this->aerosol];
        $cosine = sin(deg2rad($this->sunElevation));
        $way = 1 / $cosine + 1;
        $gas = $molecules = $aerosol = 0.0;
        $samples = $bandwidth > 0 ? self::SAMPLES : 1;
        for ($k = 0; $k < $samples; $k++) {
            $at = $wavelength + (($k + 0.5) / $samples - 0.5) * $bandwidth;
            $gas += Gases::ozone($at, $this->ozone * $way) * Gases::water($at, $this->water * $way) / $samples;
            $molecules += self::rayleigh($at) * self::pressure($this->elevation) / $samples;
            $aerosol += $this->aot550 * ($at / 0.55) ** -$exponent / $samples;
        }
        $layer = ScatteringLayer::of($molecules, $aerosol, $albedo, $asymmetry, $cosine);

        return new BandAir($gas, $layer->path, $layer->down, $layer->up, $layer->spherical, $molecules, $aerosol);
    }
}
