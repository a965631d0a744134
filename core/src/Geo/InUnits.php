<?php

namespace Chorometra\Core\Geo;

/** A projection whose map coordinates are in a unit other than the metre. */
final readonly class InUnits implements Projection
{
    /** @param  float  $metres  that one unit has */
    public function __construct(private Projection $projection, public float $metres) {}

    public function forward(float $longitude, float $latitude): array
    {
        [$x, $y] = $this->projection->forward($longitude, $latitude);

        return [$x / $this->metres, $y / $this->metres];
    }

    public function inverse(float $x, float $y): array
    {
        return $this->projection->inverse($x * $this->metres, $y * $this->metres);
    }
}
