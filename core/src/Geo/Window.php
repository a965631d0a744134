<?php

namespace Chorometra\Core\Geo;

/** A rectangle of whole pixels: first column and row, size. */
final readonly class Window
{
    public function __construct(
        public int $col,
        public int $row,
        public int $width,
        public int $height,
    ) {}

    public function pixels(): int
    {
        return $this->width * $this->height;
    }

    /** The part of this window inside a raster of the given size; its size is 0 where they do not meet. */
    public function within(int $width, int $height): self
    {
        $col = min(max(0, $this->col), $width);
        $row = min(max(0, $this->row), $height);

        return new self(
            $col,
            $row,
            max(0, min($this->col + $this->width, $width) - $col),
            max(0, min($this->row + $this->height, $height) - $row),
        );
    }

    /** A square of this side at most around its middle. */
    public function middle(int $side): self
    {
        [$width, $height] = [min($side, $this->width), min($side, $this->height)];

        return new self($this->col + intdiv($this->width - $width, 2), $this->row + intdiv($this->height - $height, 2), $width, $height);
    }

    public function isEmpty(): bool
    {
        return $this->width < 1 || $this->height < 1;
    }
}
