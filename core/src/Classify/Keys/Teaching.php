<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Classify\Cases\Cases;
use Chorometra\Core\Classify\Cases\ExampleSegments;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;

/** What the couplets of a key learn: examples given anew teach anew, else what the key carries counts, else the examples that stand in it. */
final class Teaching
{
    /** Pixels that polygons give for one answer. */
    private const MOST_PIXELS = 2000;

    /** @var array<string, Learnt> by couplet */
    public array $learnt = [];

    /** @var array<string, array<int, int>> answers by place of the segment, by couplet */
    private array $answers = [];

    private readonly Examples $own;

    /** @param  Examples|null  $given  anew */
    public function __construct(private readonly KeyDocument $key, private readonly ?Examples $given, private readonly Image $on)
    {
        $this->own = Examples::given($key, $on->spec()->grid);
    }

    /** The same on a part of the image, which knows what was learnt from the whole. */
    public function on(Image $part): self
    {
        $other = new self($this->key, null, $part);
        $other->learnt = $this->learnt;

        return $other;
    }

    /** Examples that lie outside of the image. */
    public function outside(): int
    {
        return ($this->given ?? $this->own)->outside;
    }

    /**
     * Looks up which segments the examples are.
     *
     * @param  list<int>  $numbers  of the segments, rising
     * @param  list<int|float>  $pixels  of each
     *
     * @throws Problem where examples contradict each other
     */
    public function ofSegments(array $numbers, array $pixels): void
    {
        $places = array_flip($numbers);
        foreach ($this->taught() as $couplet) {
            $examples = new ExampleSegments;
            $answers = [];
            foreach ($this->windows($this->on->spec()->grid) as $window) {
                $runs = $this->from($couplet)->runs($couplet->id, $window);
                $labels = $runs === [] ? [] : Values::codes($this->on, $window);
                foreach ($runs as [$answer, $row, $from, $to, $isPoint]) {
                    for ($i = ($row - $window->row) * $window->width + $from, $end = $i + $to - $from; $i < $end; $i++) {
                        $examples->add($labels[$i], $answer, $isPoint);
                    }
                }
            }
            foreach ($examples->touched() as $number) {
                $place = $places[$number] ?? null;
                $own = $place === null ? [] : $examples->answers($number, $pixels[$place]);
                if (count($own) > 1) {
                    throw $couplet->problem("examples contradict each other: segment $number has both answers.");
                }
                if ($own !== []) {
                    $answers[$place] = $own[0];
                }
            }
            $this->answers[$couplet->id] = $answers;
        }
    }

    /**
     * What a couplet has learnt, or learns from the examples among its cases.
     *
     * @throws Problem where examples contradict each other
     */
    public function learn(Couplet $couplet, Cases $cases): ?Learnt
    {
        if (isset($this->learnt[$couplet->id])) {
            return $this->learnt[$couplet->id];
        }
        if (! isset($this->answers[$couplet->id])) {
            $carried = Learnt::carried($couplet);

            return $carried === null ? null : $this->learnt[$couplet->id] = $carried;
        }
        $answers = $this->answers[$couplet->id];
        $leaves = $cases->leaves();
        $columns = array_map(fn (string $measure): array => $cases->column($measure)['values'], $couplet->told['examples']['measures']);
        $values = array_fill(0, count($columns), []);
        $given = [];
        for ($case = 0, $count = $cases->count(); $case < $count; $case++) {
            $own = $leaves === null ? $answers[$case] ?? null : null;
            foreach ($leaves === null ? [] : $leaves[$case] as $leaf) {
                if (isset($answers[$leaf])) {
                    if ($own !== null && $own !== $answers[$leaf]) {
                        throw $couplet->problem('examples contradict each other: segments merged at this limit have both answers.');
                    }
                    $own = $answers[$leaf];
                }
            }
            if ($own === null) {
                continue;
            }
            $row = array_column($columns, $case);
            if (! in_array(false, array_map(is_finite(...), $row), true)) {
                $given[] = $own;
                foreach ($row as $measure => $value) {
                    $values[$measure][] = $value;
                }
            }
        }

        return $this->learnt[$couplet->id] = Learnt::from($couplet, $values, $given);
    }

    /**
     * Teaches all couplets by pixels, before blocks of them are asked.
     *
     * @throws Problem where examples contradict each other, or there are none
     */
    public function ofPixels(PixelQuestions $questions): void
    {
        foreach ($this->taught() as $couplet) {
            $seen = [];
            $rows = [[], []];
            $grid = $this->on->spec()->grid;
            foreach ($this->windows($grid) as $window) {
                foreach ($this->from($couplet)->runs($couplet->id, $window) as [$answer, $at, $from, $to]) {
                    for ($col = $from; $col < $to; $col++) {
                        $pixel = $at * $grid->width + $col;
                        if (($seen[$pixel] ?? $answer) !== $answer) {
                            throw $couplet->problem("examples contradict each other: the pixel at column $col, row $at has both answers.");
                        }
                        $seen[$pixel] = $answer;
                    }
                }
            }
            foreach ($this->thinned($seen) as $pixel => $answer) {
                [$cases] = $questions->cases(new Window($pixel % $grid->width, intdiv($pixel, $grid->width), 1, 1));
                $row = $cases->count() === 0 ? [NAN] : array_map(
                    fn (string $measure): float => $cases->column($measure)['values'][0],
                    $couplet->told['examples']['measures'],
                );
                if (! in_array(false, array_map(is_finite(...), $row), true)) {
                    $rows[$answer][] = $row;
                }
            }
            $all = [...$rows[0], ...$rows[1]];
            $measures = range(0, count($couplet->told['examples']['measures']) - 1);
            $this->learnt[$couplet->id] = Learnt::from(
                $couplet,
                array_map(fn (int $measure): array => array_column($all, $measure), $measures),
                [...array_fill(0, count($rows[0]), 0), ...array_fill(0, count($rows[1]), 1)],
            );
        }
        foreach ($this->key->order() as $couplet) {
            if ($couplet->measure === null && ! isset($this->learnt[$couplet->id])) {
                $this->learnt[$couplet->id] = Learnt::carried($couplet) ?? throw $couplet->problem('there are no examples: give some for both answers.');
            }
        }
    }

    /** @return list<Couplet> that are taught now, by examples given anew or, where they carry nothing yet, by their own */
    private function taught(): array
    {
        $isTaught = fn (Couplet $couplet): bool => $this->given?->has($couplet->id) === true
            || (($couplet->told['examples']['values'] ?? []) === [] && $this->own->has($couplet->id));

        return array_values(array_filter(
            $this->key->order(),
            fn (Couplet $couplet): bool => $couplet->measure === null && ! isset($this->learnt[$couplet->id]) && $isTaught($couplet),
        ));
    }

    private function from(Couplet $couplet): Examples
    {
        return $this->given?->has($couplet->id) === true ? $this->given : $this->own;
    }

    /** @return \Generator<int, Window> */
    private function windows(Grid $grid): \Generator
    {
        $pass = new Pass($grid);
        for ($strip = 0; $strip < $pass->strips(); $strip++) {
            yield from $pass->windows($strip);
        }
    }

    /**
     * Of many pixels with one answer every so many.
     *
     * @param  array<int, int>  $seen  answers by pixel
     * @return array<int, int>
     */
    private function thinned(array $seen): array
    {
        $some = [];
        foreach ([0, 1] as $answer) {
            $pixels = array_keys($seen, $answer, true);
            $step = max(1.0, count($pixels) / self::MOST_PIXELS);
            for ($at = 0.0; $at < count($pixels); $at += $step) {
                $some[$pixels[(int) $at]] = $answer;
            }
        }

        return $some;
    }
}
