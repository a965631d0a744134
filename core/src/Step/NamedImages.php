<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Arithmetic\Parser;
use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\OneGrid;

/** Several images on one grid, each with a short name, and their bands as “before.nir”; of one image its roles stand bare. */
final readonly class NamedImages
{
    /** Names of images where none are told. */
    private const LETTERS = ['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h', 'i', 'j', 'k', 'l', 'm', 'n', 'o', 'p', 'q', 'r', 's', 't'];

    /** @param  non-empty-array<string, Image>  $images */
    private function __construct(public array $images) {}

    /**
     * The images of an input, named by the setting `names`.
     *
     * @throws Problem where they have not a name each, or lie on several grids
     */
    public static function of(Call $call, string $input = 'images'): self
    {
        $given = $call->images($input);
        $images = array_combine(self::shortNames($call->texts('names'), count($given)), $given);
        if ($images === []) {
            throw Problem::call("The input $input is missing.", $input);
        }
        OneGrid::check(array_values($images), $input);

        return new self($images);
    }

    public function first(): Image
    {
        return $this->images[array_key_first($this->images)];
    }

    /** @return array<string, mixed> what is told of all of them alike, and their dates */
    public function properties(): array
    {
        return Properties::over(array_map(fn (Image $image): array => $image->spec()->properties, array_values($this->images)));
    }

    /** @return list<string> */
    public function names(): array
    {
        return array_keys($this->images);
    }

    /**
     * Which image and band a name stands for.
     *
     * @return array{Image, int}
     *
     * @throws Problem about the setting
     */
    public function band(string $name, string $setting): array
    {
        $isOf = str_contains($name, '.');
        $image = $isOf ? (string) strstr($name, '.', true) : null;
        $band = $isOf ? substr((string) strstr($name, '.'), 1) : $name;
        if ($image !== null && ! isset($this->images[$image])) {
            throw Problem::call("There is no image “{$image}”; there is ".implode(', ', $this->names()).'.', $setting);
        }
        // an image of one band goes by its own name
        if ($image === null && isset($this->images[$name]) && count($this->images[$name]->spec()->bands) === 1) {
            return [$this->images[$name], 0];
        }
        if ($image === null && count($this->images) > 1) {
            throw Problem::call("“{$name}” needs the name of its image, such as {$this->names()[0]}.$name.", $setting);
        }
        $found = $this->images[$image ?? $this->names()[0]];
        $spec = $found->spec();
        $index = $spec->bandIndex(preg_match('/^band(\d+)$/', $band, $match) ? $match[1] : $band);

        return $index !== null ? [$found, $index] : throw Problem::call(
            "There is no “{$band}” in {$found->name()}, nor anything else of that name; it has the bands {$spec->bandList()}.",
            $setting,
        );
    }

    /**
     * What a band is called among these images.
     *
     * @param  string  $image  its name
     */
    public function called(string $image, int $band): string
    {
        $label = $this->images[$image]->spec()->bands[$band]->role ?? 'band'.($band + 1);

        return count($this->images) === 1 ? $label : "$image.$label";
    }

    /**
     * @param  list<string>  $told
     * @return list<string>
     */
    private static function shortNames(array $told, int $count): array
    {
        if ($count > count(self::LETTERS)) {
            throw Problem::call('At most '.count(self::LETTERS).' images are taken.', 'images');
        }
        if ($told === []) {
            return array_slice(self::LETTERS, 0, $count);
        }
        if (count($told) !== $count || count(array_unique($told)) !== $count) {
            $given = count(array_unique($told));
            throw Problem::call("There are $count images: each needs a name of its own, and there are $given names.", 'names');
        }
        foreach ($told as $name) {
            if (! preg_match('/^[a-z][a-z0-9_]*$/', $name) || Parser::isTaken($name) || in_array($name, Band::ROLES, true)) {
                throw Problem::call("“{$name}” can't be the name of an image: take a word of small letters that means nothing else.", 'names');
            }
        }

        return $told;
    }
}
