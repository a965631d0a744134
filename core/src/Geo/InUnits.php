<?php

namespace Chorometra\Core\Geo;

/** A projection whose map coordinates are in a unit other than the metre. */
final readonly class InUnits implements Projection
{
    /** @param  float  $unit  metres */
    public function __construct(private Projection $projection, private float $unit) {}

    public function forward(float $longitude, float $latitude): array
    {
        [$x, $y] = $this->projection->forward($longitude, $latitude);

        return [$x / $this->unit, $y / $this->unit];
    }

    public function inverse(float $x, float $y): array
    {
        return $this->projection->inverse($x * $this->unit, $y * $this->unit);
    }
}
