<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Problem;

/** How a value is taken where no pixel's centre lies. */
enum Resampling: string
{
    case Nearest = 'nearest';
    case Bilinear = 'bilinear';
    /** Cubic convolution with a = −0.5 (Keys 1981). */
    case Cubic = 'cubic';
    /** The mean of the pixels under the new one, weighted by how much of each lies under it. */
    case Average = 'average';
    /** The commonest code under the new pixel by area; the lower of those alike. */
    case Mode = 'mode';

    /** Whether new values arise: class codes and segment numbers do not allow that. */
    public function mixes(): bool
    {
        return $this !== self::Nearest && $this !== self::Mode;
    }

    /** @return list<string> */
    public static function names(): array
    {
        return array_column(self::cases(), 'value');
    }

    public const MEANINGS = [
        'nearest' => 'value of the nearest pixel, unchanged',
        'bilinear' => 'distance-weighted mean of the four nearest pixels',
        'cubic' => 'cubic convolution over 16 pixels, a = −0.5',
        'average' => 'mean of all pixels under the new one',
        'mode' => 'most frequent value under the new pixel, for classes',
    ];

    /**
     * Codes can't be mixed: refuses a resampling that would.
     *
     * @throws Problem where codes would be interpolated
     */
    public function check(Image $image): void
    {
        if ($image->spec()->content !== Content::Image && $this->mixes()) {
            throw Problem::call("{$image->name()} contains class codes, which can't be interpolated: use nearest or mode.", 'resampling');
        }
    }
}
