<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Format\Vector\ClippedImage;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Work\Context;

/** One kind of step with its inputs opened and its settings checked, ready to be computed. */
final readonly class Call
{
    use ReadsSettings;

    /** Pixels that a trial learns from. */
    private const LEARNING_PIXELS = 400_000;

    /**
     * @param  array<string, Image|string>  $inputs  rasters opened, other files by path
     * @param  array<string, mixed>  $settings
     * @param  array<string, string>  $outputs  paths
     */
    public function __construct(
        public Declaration $declaration,
        public array $inputs,
        public array $settings,
        public array $outputs,
        public Context $context,
    ) {}

    /** @throws Problem where the input is missing */
    public function image(string $name = 'image'): Image
    {
        $image = $this->inputs[$name] ?? null;

        return $image instanceof Image ? $image : throw Problem::call("The input $name is missing.", $name);
    }

    /**
     * All that an input which takes several was given, in the order of their numbers.
     *
     * @return list<Image>
     */
    public function images(string $name): array
    {
        $found = [];
        foreach ($this->inputs as $key => $input) {
            if ($input instanceof Image && ($key === $name || str_starts_with($key, "$name:"))) {
                $found[$key] = $input;
            }
        }
        ksort($found, SORT_NATURAL);

        return array_values($found);
    }

    public function hasInput(string $name): bool
    {
        return isset($this->inputs[$name]);
    }

    /** @throws Problem where the input is missing */
    public function path(string $name): string
    {
        $path = $this->inputs[$name] ?? null;

        return is_string($path) ? $path : throw Problem::call("The input $name is missing.", $name);
    }

    /** Index of the band that a setting names, in the image given; a sentence says what is there when it is not. */
    public function band(string $setting, string $input = 'image'): int
    {
        return self::bandOf($this->image($input), $this->text($setting), $setting);
    }

    /** @throws Problem where the image has no such band */
    public static function bandOf(Image $image, string $name, ?string $setting = null): int
    {
        $index = $image->spec()->bandIndex($name);
        if ($index === null) {
            throw Problem::input(
                sprintf(
                    '%s has no band %s; it has %s.%s',
                    $image->name(),
                    $name,
                    $image->spec()->bandList(),
                    $setting === null ? '' : " Name another with the setting $setting.",
                ),
                $setting,
            );
        }

        return $index;
    }

    /**
     * The rasters that are asked for, of those that could be made, with where they go.
     *
     * @param  array<string, RasterSpec>  $specs  by output
     * @return array<string, array{path: string, spec: RasterSpec}>
     */
    public function asked(array $specs): array
    {
        $asked = [];
        foreach (array_intersect_key($specs, $this->outputs) as $name => $spec) {
            $asked[$name] = ['path' => $this->outputs[$name], 'spec' => $spec];
        }

        return $asked;
    }

    /** @return array<string, mixed> for sidecars: kind, inputs by name, settings */
    public function provenance(): array
    {
        return [
            'kind' => $this->declaration->id,
            'inputs' => array_map(fn (Image|string $input): string => $input instanceof Image ? $input->name() : basename($input), $this->inputs),
            'settings' => array_filter($this->settings, fn (mixed $value): bool => $value !== null && $value !== []),
        ];
    }

    /** The same call on what is learnt from, as declared, where only a part of the images is tried. */
    public function learning(): self
    {
        $most = match ($this->context->trial ? $this->declaration->learns : Learning::Nothing) {
            Learning::Overview => self::LEARNING_PIXELS,
            Learning::Whole => PHP_INT_MAX,
            Learning::Nothing, Learning::Window => null,
        };

        return $most === null ? $this : new self($this->declaration, array_map(fn (Image|string $input): Image|string => match (true) {
            $input instanceof Crop => $input->overview($most),
            $input instanceof ClippedImage => $input->overview($most, $this->context),
            default => $input,
        }, $this->inputs), $this->settings, $this->outputs, $this->context);
    }

    /**
     * The same call with its outputs elsewhere.
     *
     * @param  list<string>  $paths  in the order of the outputs
     */
    public function writing(array $paths): self
    {
        return new self($this->declaration, $this->inputs, $this->settings, array_combine(array_keys($this->outputs), $paths), $this->context);
    }

    public function with(Context $context): self
    {
        return new self($this->declaration, $this->inputs, $this->settings, $this->outputs, $context);
    }
}
