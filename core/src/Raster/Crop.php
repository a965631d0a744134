<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** A window of one level of an image, seen as an image of its own: what a trial works on. */
final readonly class Crop implements Image
{
    use Wrapped;

    private RasterSpec $spec;

    /** @param  Window  $window in pixels of the level, wholly inside it */
    public function __construct(private Image $image, private Window $window, private int $level = 0)
    {
        $spec = $image->spec();
        [$width, $height] = $image->levels()[$level];
        $this->spec = $spec->with(grid: $spec->grid->resized($width, $height)->crop($window));
    }

    /** All of the image, at the finest level that has no more pixels than this. */
    public function overview(int $mostPixels): self
    {
        $levels = $this->image->levels();
        foreach ($levels as $level => [$width, $height]) {
            if ($width * $height <= $mostPixels) {
                return new self($this->image, new Window(0, 0, $width, $height), $level);
            }
        }
        $last = count($levels) - 1;

        return new self($this->image, new Window(0, 0, ...$levels[$last]), $last);
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        return $this->image->read(
            $band,
            new Window($this->window->col + $window->col, $this->window->row + $window->row, $window->width, $window->height),
            $this->level,
        );
    }

    public function levels(): array
    {
        return [[$this->window->width, $this->window->height]];
    }
}
