<?php

namespace Chorometra\Core\Geo;

/** A projection of longitudes and latitudes on a datum other than WGS 84; outside, they are WGS 84. */
final readonly class OnDatum implements Projection
{
    public function __construct(public Projection $projection, public Datum $datum) {}

    public function forward(float $longitude, float $latitude): array
    {
        return $this->projection->forward(...$this->datum->fromWgs84($longitude, $latitude));
    }

    public function inverse(float $x, float $y): array
    {
        return $this->datum->toWgs84(...$this->projection->inverse($x, $y));
    }
}
