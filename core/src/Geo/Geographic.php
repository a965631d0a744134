<?php

namespace Chorometra\Core\Geo;

/** Map coordinates are longitude and latitude. */
final readonly class Geographic implements Projection
{
    public function forward(float $longitude, float $latitude): array
    {
        return [$longitude, $latitude];
    }

    public function inverse(float $x, float $y): array
    {
        return [$x, $y];
    }
}
