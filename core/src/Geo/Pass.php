<?php

namespace Chorometra\Core\Geo;

use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/**
 * A way over a grid: strips of whole rows, each gone over by one worker so that tiles are unpacked once, and windows of a strip, so small that all values
 * of their pixels can be held. What is found is always told in the order of rows: sums are the same however many worked.
 */
final readonly class Pass
{
    /** Values of a window. */
    private const MOST_VALUES = 1 << 21;

    private int $strip;

    private int $rows;

    /** @param  int  $values  that are held for each pixel */
    public function __construct(private Grid $grid, int $values = 1)
    {
        $this->strip = $grid->strip();
        $this->rows = max(1, min($this->strip, intdiv(self::MOST_VALUES, $grid->width * max(1, $values))));
    }

    public function strips(): int
    {
        return intdiv($this->grid->height + $this->strip - 1, $this->strip);
    }

    /** @return list<Window> of a strip, downwards */
    public function windows(int $strip): array
    {
        $windows = [];
        $end = min($this->grid->height, ($strip + 1) * $this->strip);
        for ($row = $strip * $this->strip; $row < $end; $row += $this->rows) {
            $windows[] = new Window(0, $row, $this->grid->width, min($this->rows, $end - $row));
        }

        return $windows;
    }

    /**
     * @template T
     *
     * @param  \Closure(Window): T  $look  in a worker; its answer must be serialisable
     * @return list<T> of all windows
     */
    public function all(Context $context, string $doing, \Closure $look): array
    {
        $answers = [];
        $this->gather($context, $doing, $look, function (mixed $answer) use (&$answers): void {
            $answers[] = $answer;
        });

        return $answers;
    }

    /**
     * @template T
     *
     * @param  \Closure(Window): T  $look  in a worker; its answer must be serialisable
     * @param  \Closure(T): void  $add  here
     */
    public function gather(Context $context, string $doing, \Closure $look, \Closure $add): void
    {
        $windows = fn (int $strip): array => array_map($look, $this->windows($strip));
        Workers::run($this->strips(), $context, $doing, $windows, function (int $strip, mixed $answers) use ($add): void {
            array_map($add, $answers);
        });
    }
}
