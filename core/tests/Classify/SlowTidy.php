<?php

namespace Chorometra\Core\Tests\Classify;

/** The rules of a key as they read, pixel by pixel and patch after patch; slow, and checked by eye. */
final class SlowTidy
{
    /**
     * @param  array<int, int>  $codes  by pixel; −1 for nodata, 0 for unlabelled
     * @param  list<int>  $regions  of each pixel, whose number decides between patches alike
     */
    public function __construct(public array $codes, private readonly array $regions, private readonly int $width, private readonly int $height) {}

    /** @param  list<int>  $of */
    public function giveBack(array $of): void
    {
        foreach ($this->codes as $pixel => $code) {
            if (in_array($code, $of, true)) {
                $this->codes[$pixel] = 0;
            }
        }
    }

    /** @param  list<int>  $of */
    public function fill(int $with, float $share, array $of = []): void
    {
        $filled = [];
        foreach ($this->patches() as $pixels) {
            $code = $this->codes[$pixels[0]];
            $against = $edge = 0;
            foreach ($pixels as $pixel) {
                foreach ($this->beside($pixel) as $other) {
                    $beside = $other === null ? -1 : $this->codes[$other];
                    $edge += $beside === $code ? 0 : 1;
                    $against += $beside === $with ? 1 : 0;
                }
            }
            if ($code !== $with && ($of === [] || in_array($code, $of, true)) && $edge > 0 && $against / $edge >= $share) {
                array_push($filled, ...$pixels);
            }
        }
        foreach ($filled as $pixel) {
            $this->codes[$pixel] = $with;
        }
    }

    /** @param  list<int>  $of */
    public function absorb(int $below, array $of = [], bool $intoNeighbour = true): void
    {
        if (! $intoNeighbour) {
            foreach ($this->patches() as $pixels) {
                foreach ($this->isSmall($pixels, $below, $of) ? $pixels : [] as $pixel) {
                    $this->codes[$pixel] = 0;
                }
            }

            return;
        }
        $passed = [];
        do {
            $patches = $this->patches();
            $found = null;
            foreach ($patches as $pixels) {
                if ($this->isSmall($pixels, $below, $of) && ! isset($passed[$this->number($pixels)])) {
                    $order = $found === null ? -1 : (count($pixels) <=> count($found) ?: $this->number($pixels) <=> $this->number($found));
                    $found = $order < 0 ? $pixels : $found;
                }
            }
            if ($found === null) {
                return;
            }
            $into = $this->neighbour($found, $patches);
            if ($into === null) {
                $passed[$this->number($found)] = true;
            } else {
                foreach ($found as $pixel) {
                    $this->codes[$pixel] = $this->codes[$into[0]];
                }
            }
        } while (true);
    }

    /**
     * @param  list<int>  $pixels
     * @param  list<int>  $of
     */
    private function isSmall(array $pixels, int $below, array $of): bool
    {
        $code = $this->codes[$pixels[0]];

        return $code > 0 && count($pixels) < $below && ($of === [] || in_array($code, $of, true));
    }

    /**
     * @param  list<int>  $pixels
     * @param  list<list<int>>  $patches
     * @return list<int>|null
     */
    private function neighbour(array $pixels, array $patches): ?array
    {
        $best = null;
        $most = [];
        foreach ($patches as $patch) {
            $isIn = array_flip($patch);
            $length = 0;
            foreach ($patch === $pixels ? [] : $pixels as $pixel) {
                $length += count(array_filter($this->beside($pixel), fn (?int $other): bool => $other !== null && isset($isIn[$other])));
            }
            $order = [$length, count($patch), -$this->number($patch)];
            if ($length > 0 && ($best === null || $order > $most)) {
                [$best, $most] = [$patch, $order];
            }
        }

        return $best;
    }

    /** @param  list<int>  $pixels */
    private function number(array $pixels): int
    {
        return min(array_map(fn (int $pixel): int => $this->regions[$pixel], $pixels));
    }

    /** @return list<list<int>> */
    private function patches(): array
    {
        $seen = [];
        $patches = [];
        foreach ($this->codes as $start => $code) {
            if ($code < 0 || isset($seen[$start])) {
                continue;
            }
            $patch = [];
            $open = [$start];
            $seen[$start] = true;
            while ($open !== []) {
                $pixel = array_pop($open);
                $patch[] = $pixel;
                foreach ($this->beside($pixel) as $other) {
                    if ($other !== null && ! isset($seen[$other]) && $this->codes[$other] === $code) {
                        $seen[$other] = true;
                        $open[] = $other;
                    }
                }
            }
            $patches[] = $patch;
        }

        return $patches;
    }

    /** @return list<int|null> */
    private function beside(int $pixel): array
    {
        [$col, $row] = [$pixel % $this->width, intdiv($pixel, $this->width)];

        return [
            $col > 0 ? $pixel - 1 : null,
            $col < $this->width - 1 ? $pixel + 1 : null,
            $row > 0 ? $pixel - $this->width : null,
            $row < $this->height - 1 ? $pixel + $this->width : null,
        ];
    }
}
