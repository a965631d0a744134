<?php

namespace Chorometra\Core\Derive\Sharpening;

use Chorometra\Core\Format\Vector\ClippedImage;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\GridMapping;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Raster\WithoutZeros;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Reading;

/** A fine and a coarse image of the same ground, checked, and how they lie to each other. */
final readonly class Pair
{
    private const MOST_BANDS = 64;

    /** Pixels that are hardly larger have nothing to gain. */
    private const LEAST_RATIO = 1.2;

    private const MOST_RATIO = 32;

    /**
     * @param  list<int>  $bands
     * @param  float  $ratio  how many fine pixels lie along a coarse one
     * @param  list<string>  $zeros  images whose zeros are no ground
     */
    private function __construct(
        public Image $pan,
        public int $panBand,
        public Image $image,
        public array $bands,
        public Resampling $resampling,
        public float $ratio,
        public Reach $reach,
        public array $zeros,
    ) {}

    /** @throws Problem where one has no georeference or holds codes, or they have no ground in common */
    public static function of(Call $call): self
    {
        $pan = $call->image('pan');
        // what lies beyond the edge of an area is needed to come between its pixels
        $image = $call->image() instanceof ClippedImage ? $call->image()->whole() : $call->image();
        foreach (['pan' => $pan, 'image' => $image] as $name => $one) {
            $grid = $one->spec()->grid;
            Crs::needMap($grid, $one->name(), $name);
            if (! $grid->isReferenced()) {
                throw Problem::input("{$one->name()} has no georeference, so it is unknown which pixels show the same ground.", $name);
            }
            if ($one->spec()->content !== Content::Image) {
                throw Problem::input("{$one->name()} contains class codes, which can't be used in pan-sharpening.", $name);
            }
        }
        $panBand = $call->band('pan-band', 'pan');
        $ratio = self::ratio($call, $pan, $image);
        $bands = self::bands($call, $image);
        $reach = Reach::of($pan->spec()->grid, $image->spec()->grid, $image->name());
        if ($reach->isEmpty()) {
            throw Problem::input("{$pan->name()} and {$image->name()} have no ground in common: the one is {$pan->spec()->grid->describe()}, the second "
                ."{$image->spec()->grid->describe()}.", 'image');
        }
        $skip = $call->text('skip-zeros');
        $zeros = [];
        $without = function (Image $one, array $its) use ($skip, &$zeros): Image {
            if ($skip === 'no' || ($skip === 'border' && ! WithoutZeros::areBorder($one, $its))) {
                return $one;
            }
            $zeros[] = $one->name();

            return new WithoutZeros($one, $its);
        };

        [$pan, $image] = [$without($pan, [$panBand]), $without($image, $bands)];

        return new self($pan, $panBand, $image, $bands, Resampling::from($call->text('resampling')), $ratio, $reach, $zeros);
    }

    /** Whether there is anything to sharpen: not where a trial sees the fine image reduced. */
    public function isFiner(): bool
    {
        return $this->ratio >= self::LEAST_RATIO;
    }

    /** @return list<Reading> on the fine grid: the fine band, the same made coarse where that is asked for, and the bands */
    public function readings(bool $withCoarse): array
    {
        $grid = $this->pan->spec()->grid;
        $coarse = new Warped(new Warped($this->pan, $this->image->spec()->grid, Resampling::Average), $grid, $this->resampling);

        return [
            new Reading($this->pan, [$this->panBand]),
            ...($withCoarse ? [new Reading($coarse, [$this->panBand])] : []),
            new Reading(new Warped($this->image, $grid, $this->resampling), $this->bands),
        ];
    }

    /** A pixel's width and height, in words. */
    public static function pixel(Grid $grid): string
    {
        $t = $grid->transform;
        $side = fn (float $length): string => rtrim(rtrim(sprintf('%.6f', $length), '0'), '.');
        $unit = Crs::isGeographic($grid) ? '°' : Crs::unitSign($grid);

        return $side(hypot($t[1], $t[4])).' × '.$side(hypot($t[2], $t[5])).$unit;
    }

    /** @return non-empty-list<int> */
    private static function bands(Call $call, Image $image): array
    {
        $named = $call->texts('bands');
        $spec = $image->spec();
        $isLight = fn (Band $band): bool => ! $band->isThermal() && ! in_array($band->role, ['quality', 'pan', 'cirrus'], true) && $band->part === null;
        $bands = $named === []
            ? array_keys(array_filter($spec->bands, $isLight))
            : array_map(fn (string $name): int => Call::bandOf($image, $name, 'bands'), $named);
        if ($bands === []) {
            throw Problem::call("{$image->name()} has no band of light: name the bands to sharpen.", 'bands');
        }
        if (count($bands) > self::MOST_BANDS) {
            throw Problem::call('At most '.self::MOST_BANDS.' bands are sharpened at once.', 'bands');
        }

        return $bands;
    }

    /** Fine pixels along a coarse one, at the middle of the coarse image. */
    private static function ratio(Call $call, Image $pan, Image $image): float
    {
        [$fine, $coarse] = [$pan->spec()->grid, $image->spec()->grid];
        $mapping = new GridMapping($coarse, $fine, $pan->name());
        [$col, $row] = [0.5 * $coarse->width, 0.5 * $coarse->height];
        [[$a, $b], [$c, $d], [$e, $f]] = [$mapping->at($col, $row), $mapping->at($col + 1.0, $row), $mapping->at($col, $row + 1.0)];
        $ratio = sqrt(abs(($c - $a) * ($f - $b) - ($d - $b) * ($e - $a)));
        // a part that is tried may be reduced, and what is learnt from always is
        if (! ($ratio >= self::LEAST_RATIO) && ! $call->context->trial) {
            throw Problem::input(
                sprintf(
                    'The pixels of %s (%s) are not finer than those of %s (%s), and can\'t sharpen them: were the two mistaken for each other?',
                    $pan->name(),
                    self::pixel($fine),
                    $image->name(),
                    self::pixel($coarse),
                ),
                'pan',
            );
        }
        if ($ratio > self::MOST_RATIO) {
            throw Problem::input(
                sprintf(
                    'The pixels of %s are %.0f times as fine as those of %s, more than the %d supported.',
                    $pan->name(),
                    $ratio,
                    $image->name(),
                    self::MOST_RATIO,
                ),
                'pan',
            );
        }

        return $ratio;
    }
}
