<?php

namespace Chorometra\Core\Raster;

/** One band: its role (blue, nir, pan …), name, wavelength in micrometres, unit, calibration constants, and what its values are counted from. */
final readonly class Band
{
    public const ROLES = [
        'coastal', 'blue', 'green', 'red', 'rededge', 'nir', 'swir1', 'swir2', 'pan', 'cirrus',
        'thermal1', 'thermal2', 'quality', 'hh', 'hv', 'vh', 'vv',
    ];

    /**
     * @param  array<string, float>  $constants  radiance_gain, radiance_offset (W m⁻² sr⁻¹ µm⁻¹ per count), reflectance_gain,
     *                                           reflectance_offset (before division by the sine of the sun elevation), solar (ESUN, W m⁻² µm⁻¹), k1, k2 (K);
     *                                           value_gain, value_offset where they give reflectance or kelvin itself, with nothing to be divided by
     * @param  string|null  $part  of a complex sample: real, imaginary, magnitude or phase
     */
    public function __construct(
        public ?string $role = null,
        public ?string $name = null,
        public ?float $wavelength = null,
        public ?float $bandwidth = null,
        public ?string $unit = null,
        public array $constants = [],
        public ?string $part = null,
        private ?Scale $scale = null,
    ) {}

    public function scale(): ?Scale
    {
        return $this->part === 'phase' ? Scale::Cyclic : $this->scale;
    }

    public function label(int $number): string
    {
        return $this->name ?? ($this->part === null ? $this->role ?? "band $number" : trim("$this->role $this->part"));
    }

    public function isThermal(): bool
    {
        return $this->role !== null && str_starts_with($this->role, 'thermal');
    }

    /** The same band after a computation: constants no longer hold. */
    public function measuredIn(?string $unit): self
    {
        return new self($this->role, $this->name, $this->wavelength, $this->bandwidth, $unit, part: $this->part, scale: $this->scale);
    }
}
