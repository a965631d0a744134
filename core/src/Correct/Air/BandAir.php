<?php

namespace Chorometra\Core\Correct\Air;

/** What the air over a place does in one band: ρ = T(gas) · (ρ(path) + T(down) · T(up) · ρ(surface) / (1 − S · ρ(surface))). */
final readonly class BandAir
{
    /**
     * @param  float  $gas  transmittance of ozone and water vapour, down and up
     * @param  float  $path  reflectance of the air alone
     * @param  float  $down  transmittance from the sun to the ground
     * @param  float  $up  transmittance from the ground to the sensor
     * @param  float  $spherical  albedo of the air for light from below
     * @param  float  $molecules  optical depth
     * @param  float  $aerosol  optical depth
     */
    public function __construct(
        public float $gas,
        public float $path,
        public float $down,
        public float $up,
        public float $spherical,
        public float $molecules,
        public float $aerosol,
    ) {}

    /** Reflectance above the air, from that of the ground. */
    public function above(float $surface): float
    {
        return $this->gas * ($this->path + $this->down * $this->up * $surface / (1 - $this->spherical * $surface));
    }

    /** Reflectance of the ground, from that above the air. */
    public function surface(float $above): float
    {
        [$gain, $offset] = $this->line();
        $y = $gain * $above + $offset;

        return $y / (1 + $this->spherical * $y);
    }

    /**
     * y = gain · ρ + offset, of which the ground's reflectance is y / (1 + S · y).
     *
     * @return array{float, float}
     */
    public function line(): array
    {
        $through = $this->down * $this->up;

        return [1 / ($this->gas * $through), -$this->path / $through];
    }
}
