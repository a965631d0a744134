<?php

namespace Chorometra\Core\Classify\Cases;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\NamedImages;

/** What a model sorts: pixels of bands of several images, or segments by their measures; with what a mask leaves out. */
final readonly class FeatureTable
{
    /**
     * @param  list<string>  $names  of the bands or measures
     * @param  list<string|null>  $units
     * @param  list<array{Image, int}>  $bands  of pixels
     * @param  array{Image, array<int, true>}|null  $mask  codes of it that are left out
     * @param  array{Image, list<int>, list<float>, list<list<float>>}|null  $segments  label image, numbers, pixels and measures of each
     * @param  array<string, mixed>  $properties  what is told of all images alike
     */
    private function __construct(
        public Grid $grid,
        public array $names,
        public array $units,
        public array $bands,
        public ?array $mask,
        public ?array $segments,
        public array $properties,
    ) {}

    /**
     * @param  list<string>  $wanted  bands by name; all where none is named
     *
     * @throws Problem where these images lack a band, or hold codes
     */
    public static function of(Call $call, array $wanted, string $about = 'bands'): self
    {
        $images = NamedImages::of($call);
        foreach ($images->images as $image) {
            if ($image->spec()->content !== Content::Image) {
                throw Problem::input("{$image->name()} contains class codes: classification needs images of values.", 'images');
            }
        }
        $first = $images->first();
        $mask = null;
        if ($call->hasInput('mask')) {
            OneGrid::check([$first, $call->image('mask')]);
            $mask = [$call->image('mask'), ClassCodes::leftOut($call->image('mask'), $call->texts('leave-out'), 'leave-out')];
        }
        $names = $wanted;
        if ($names === []) {
            foreach ($images->images as $name => $image) {
                foreach (array_keys($image->spec()->bands) as $band) {
                    $names[] = $images->called($name, $band);
                }
            }
        }
        if (count(array_unique($names)) !== count($names)) {
            throw Problem::call(
                'A band is named twice: '.implode(', ', array_keys(array_filter(array_count_values($names), fn (int $times): bool => $times > 1))).'.',
                $about,
            );
        }
        if ($call->hasInput('segments')) {
            return self::ofSegments($call, $images, $names, $mask);
        }
        $bands = array_map(fn (string $name): array => $images->band($name, $about), $names);
        $units = array_map(fn (array $band): ?string => $band[0]->spec()->bands[$band[1]]->unit, $bands);

        return new self($first->spec()->grid, $names, $units, $bands, $mask, null, $images->properties());
    }

    public function isOfSegments(): bool
    {
        return $this->segments !== null;
    }

    /**
     * Values of a window by band; of pixels under the mask none.
     *
     * @return list<list<float>>
     */
    public function columns(Window $window): array
    {
        $columns = array_map(fn (array $band): array => Values::of($band[0], $band[1], $window), $this->bands);
        if ($this->mask !== null) {
            [$image, $codes] = $this->mask;
            $columns[0] = self::holed($columns[0], Values::codes($image, $window), $codes, $window->pixels());
        }

        return $columns;
    }

    /**
     * @param  list<string>  $names
     * @param  array{Image, array<int, true>}|null  $mask
     */
    private static function ofSegments(Call $call, NamedImages $images, array $names, ?array $mask): self
    {
        $image = $call->image('segments');
        OneGrid::check([$images->first(), $image]);
        if ($mask !== null) {
            throw Problem::call('A mask is for pixels: leave it out, or leave the segments out.', 'mask');
        }
        $pieces = new SegmentCases($image, $images, null, $call->context);
        // a band alone stands for its mean
        foreach ($names as $name) {
            $pieces->check($name);
        }
        if ($pieces->numbers() === []) {
            throw Problem::input("{$image->name()} contains no segments: there is nothing to classify.", 'segments');
        }
        $columns = array_map($pieces->column(...), $names);

        return new self($image->spec()->grid, $names, array_column($columns, 'unit'), [], null,
            [$image, $pieces->numbers(), $pieces->pixels(), array_column($columns, 'values')], $images->properties());
    }

    /**
     * @param  list<float>  $values
     * @param  list<int>  $there
     * @param  array<int, true>  $codes
     * @return list<float>
     */
    private static function holed(array $values, array $there, array $codes, int $count): array
    {
        $isOut = array_fill(0, 65536, false);
        foreach (array_keys($codes) as $code) {
            $isOut[$code] = true;
        }
        for ($i = 0; $i < $count; $i++) {
            if ($isOut[$there[$i]]) {
                $values[$i] = NAN;
            }
        }

        return $values;
    }
}
