<?php

namespace Chorometra\Demo;

use Chorometra\Core\Geo\Window;

/** One scene of the made-up archive. */
final readonly class CatalogueScene
{
    /**
     * @param  float  $clouds  share of the scene, 0 to 1
     * @param  Window  $window  of the landscape, in pixels of 10 m
     */
    public function __construct(
        public string $id,
        public string $collection,
        public string $datetime,
        public float $clouds,
        public Window $window,
        public float $sunElevation,
        public float $sunAzimuth,
        public bool $later,
        public int $seed,
        public string $sky,
    ) {}

    /** How green it is, 0 in winter to 1 in summer. */
    public function season(): float
    {
        $day = (int) (new \DateTimeImmutable($this->datetime))->format('z');

        return 0.5 - 0.5 * cos(2 * M_PI * ($day - 15) / 365);
    }
}
