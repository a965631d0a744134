<?php

namespace Chorometra\Core\Geo;

/** Longitude and latitude in degrees to map coordinates and back. What lies outside a projection's reach gives NAN, never an error. */
interface Projection
{
    /** @return array{float, float} map coordinates, in the units of the CRS */
    public function forward(float $longitude, float $latitude): array;

    /** @return array{float, float} longitude and latitude in degrees */
    public function inverse(float $x, float $y): array;
}
