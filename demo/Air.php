<?php

namespace Chorometra\Demo;

use Chorometra\Core\Correct\Air\Atmosphere;
use Chorometra\Core\Correct\Air\BandAir;

/** The air over Orvane Sound, by date: as it was, and as a service that models it would tell. */
final readonly class Air
{
    /** Optical depth of aerosol by sky, and how much more there is in a bank of haze. */
    private const DEPTHS = ['clear' => [0.11, 0.0], 'hazy' => [0.2, 0.7]];

    private function __construct(
        public string $aerosol,
        public float $aot550,
        public float $bank,
        public float $water,
        public float $ozone,
        public float $elevation,
    ) {}

    public static function on(string $date, string $sky): self
    {
        $day = (int) (new \DateTimeImmutable($date))->format('z');
        $season = cos(2 * M_PI * ($day - 200) / 365);
        $wave = fn (int $k): float => Noise::hash((int) str_replace('-', '', $date), $k, 31) - 0.5;
        [$depth, $bank] = self::DEPTHS[$sky];

        return new self(
            'continental',
            $depth + 0.02 * $season + 0.03 * $wave(1),
            $bank,
            1.7 + 0.9 * $season + 0.5 * $wave(2),
            330 - 25 * $season + 20 * $wave(3),
            25.0,
        );
    }

    /** As a model tells it that knows no place and no hour well. */
    public function told(string $date): self
    {
        $off = fn (int $k): float => Noise::hash((int) str_replace('-', '', $date), $k, 77) - 0.5;

        return new self(
            $this->aerosol,
            round($this->aot550 + 0.016 * $off(1), 3),
            $this->bank,
            round($this->water + 0.16 * $off(2), 2),
            round($this->ozone + 8 * $off(3)),
            $this->elevation,
        );
    }

    /** @param  float  $share  of the bank of haze, 0 to 1 */
    public function over(float $wavelength, float $bandwidth, float $sunElevation, float $share = 0.0): BandAir
    {
        return (new Atmosphere($sunElevation, $this->aerosol, $this->aot550 + $share * $this->bank, $this->water, $this->ozone, $this->elevation))->at(
            $wavelength,
            $bandwidth,
        );
    }
}
