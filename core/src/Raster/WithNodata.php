<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Work\Context;

/**
 * An image that has a value for nodata, because a step is about to leave pixels without one.
 *
 * What the image declares holds; else the greatest value of its type if no pixel has it; else the least; else samples become floating
 * point, with NaN. A real 0 stays a 0.
 */
final readonly class WithNodata implements Image
{
    use Wrapped;

    private RasterSpec $spec;

    private function __construct(private Image $image, SampleType $type, private float $nodata)
    {
        $spec = $image->spec();
        $this->spec = $spec->with(type: $type, nodata: $nodata);
    }

    /** The image itself where it can hold nodata as it is. */
    public static function of(Image $image, Context $context): Image
    {
        $spec = $image->spec();
        if ($spec->type->isFloat()) {
            return $spec->nodata === null ? new self($image, $spec->type, NAN) : $image;
        }
        [$least, $greatest] = $spec->type->range();
        if ($spec->nodata !== null && $spec->nodata >= $least && $spec->nodata <= $greatest && fmod($spec->nodata, 1.0) === 0.0) {
            return $image;
        }
        if ($spec->content === Content::Segments) {
            return new self($image, $spec->type, 0.0);
        }
        $lowest = INF;
        $highest = -INF;
        foreach (array_keys($spec->bands) as $band) {
            $moments = Histogram::moments($image, $band, new Context($context->workers), 0);
            $lowest = min($lowest, $moments->minimum);
            $highest = max($highest, $moments->maximum);
        }

        return match (true) {
            $highest < $greatest => new self($image, $spec->type, $greatest),
            // codes are no numbers to be turned into floating point
            $lowest > $least || $spec->content === Content::Classes => new self($image, $spec->type, $least),
            default => new self($image, $spec->type->bytes() === 4 ? SampleType::Float64 : SampleType::Float32, NAN),
        };
    }

    /**
     * What was chosen, for the figures of a step; nothing where the image had a value for nodata.
     *
     * @return array<string, string>
     */
    public static function figures(Image ...$images): array
    {
        $told = [];
        foreach ($images as $image) {
            if ($image instanceof self && $image->spec->content !== Content::Segments) {
                $choice = $image->choice();
                $told[$choice] = $choice;
            }
        }

        return $told === [] ? [] : ['nodata' => implode('; ', $told)];
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        $bytes = $this->image->read($band, $window, $level);
        $type = $this->image->spec()->type;

        return $type === $this->spec->type ? $bytes : Codec::encode(Codec::values($bytes, $type, null), $this->spec->type, NAN);
    }

    private function choice(): string
    {
        return match (true) {
            is_nan($this->nodata) => $this->image->spec()->type->isFloat()
                ? 'NaN'
                : "NaN in {$this->spec->type->value}: pixels have both the least and the greatest value of {$this->image->spec()->type->value}",
            $this->nodata === $this->spec->type->range()[1] => sprintf(
                '%.0f, the greatest value of %s, which no pixel has',
                $this->nodata,
                $this->spec->type->value,
            ),
            default => sprintf('%.0f, the least value of %s', $this->nodata, $this->spec->type->value),
        };
    }
}
