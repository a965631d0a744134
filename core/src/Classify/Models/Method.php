<?php

namespace Chorometra\Core\Classify\Models;

/** A way to tell classes apart, learnt from training areas. */
enum Method: string
{
    case NearestMean = 'nearest-mean';
    case ScaledDistance = 'scaled-distance';
    case MaximumLikelihood = 'maximum-likelihood';
    case SpectralAngle = 'spectral-angle';
    case NearestNeighbours = 'nearest-neighbours';
    case RandomForest = 'random-forest';

    /** @return list<string> */
    public static function names(): array
    {
        return array_map(fn (self $method): string => $method->value, self::cases());
    }

    /** Whether it only compares distances or angles: how large a unit is counts. */
    public function comparesDistances(): bool
    {
        return $this === self::NearestMean || $this === self::NearestNeighbours;
    }

    /** Whether it tells how likely each class is. */
    public function tellsShares(): bool
    {
        return in_array($this, [self::MaximumLikelihood, self::NearestNeighbours, self::RandomForest], true);
    }

    /** How sure a class is, 0 to 1. */
    public function sure(): string
    {
        return match ($this) {
            self::MaximumLikelihood => 'posterior',
            self::NearestNeighbours, self::RandomForest => 'share of votes',
            default => 'margin',
        };
    }

    /**
     * How near it lies to its class, however the others lie.
     *
     * @return array{string, string|null}|null name and unit; null where the method knows no such thing
     */
    public function near(): ?array
    {
        return match ($this) {
            self::NearestMean, self::ScaledDistance => ['distance', 'deviations'],
            self::MaximumLikelihood => ['probability', null],
            self::SpectralAngle => ['angle', 'degrees'],
            default => null,
        };
    }
}
