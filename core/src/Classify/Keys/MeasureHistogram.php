<?php

namespace Chorometra\Core\Classify\Keys;

/** How the values of a measure lie that reach a couplet, in pixels, and which share of them is answered with yes. */
final readonly class MeasureHistogram
{
    private const BINS = 64;

    /**
     * @param  list<float>  $counts  pixels in bins of one width
     * @param  array{float, float, float}  $quartiles
     */
    private function __construct(public float $minimum, public float $maximum, public array $counts, public array $quartiles, public float $yes) {}

    /**
     * @param  list<float>  $values  without NaN
     * @param  list<int|float>|null  $pixels  null where each is one
     * @param  list<int>  $answers  1 for yes
     */
    public static function of(array $values, ?array $pixels, array $answers): ?self
    {
        if ($values === []) {
            return null;
        }
        [$minimum, $maximum] = [min($values), max($values)];
        $width = $maximum > $minimum ? self::BINS / ($maximum - $minimum) : 0.0;
        $counts = array_fill(0, $width > 0.0 ? self::BINS : 1, 0.0);
        $all = $yes = 0.0;
        foreach ($values as $i => $value) {
            $some = $pixels === null ? 1.0 : (float) $pixels[$i];
            $counts[min(count($counts) - 1, (int) (($value - $minimum) * $width))] += $some;
            $all += $some;
            $yes += $answers[$i] === 1 ? $some : 0.0;
        }
        asort($values);
        $quartiles = [];
        $passed = 0.0;
        foreach ($values as $i => $value) {
            $passed += $pixels === null ? 1.0 : (float) $pixels[$i];
            while (count($quartiles) < 3 && $passed >= 0.25 * (count($quartiles) + 1) * $all) {
                $quartiles[] = $value;
            }
        }
        [$low, $middle, $high] = [...$quartiles, $maximum, $maximum, $maximum];

        return new self($minimum, $maximum, $counts, [$low, $middle, $high], $all > 0.0 ? $yes / $all : 0.0);
    }

    /** @param  array<string, mixed>|null  $told  as it stands in a key */
    public static function read(?array $told): ?self
    {
        if ($told === null) {
            return null;
        }
        [$low, $middle, $high] = array_map(floatval(...), $told['quartiles']);

        $counts = array_map(floatval(...), $told['counts']);

        return new self((float) $told['minimum'], (float) $told['maximum'], $counts, [$low, $middle, $high], (float) $told['yes']);
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return get_object_vars($this);
    }

    public function middle(int $bin): float
    {
        return $this->minimum + ($bin + 0.5) * ($this->maximum - $this->minimum) / count($this->counts);
    }
}
