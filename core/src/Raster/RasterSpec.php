<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Grid;

/** Everything about a raster but its pixels. */
final readonly class RasterSpec
{
    /** What reflectance a scene holds, or its counts stand for: toa or surface. */
    public const REFLECTANCE = 'chorometra:reflectance';

    /**
     * @param  list<Band>  $bands
     * @param  array<string, mixed>  $properties  STAC properties: datetime, platform, view:sun_elevation …
     */
    public function __construct(
        public Grid $grid,
        public array $bands,
        public SampleType $type = SampleType::Float32,
        public ?float $nodata = NAN,
        public Content $content = Content::Image,
        public ?Legend $legend = null,
        public array $properties = [],
    ) {}

    /**
     * A class map: UInt8 with nodata 255, UInt16 with 65535 beyond 254 classes.
     *
     * @param  array<string, mixed>  $properties
     */
    public static function classes(Grid $grid, Legend $legend, array $properties = []): self
    {
        $wide = $legend->classes !== [] && max($legend->codes()) > 254;

        return new self(
            $grid,
            [new Band(name: 'class')],
            $wide ? SampleType::UInt16 : SampleType::UInt8,
            $wide ? 65535.0 : 255.0,
            Content::Classes,
            $legend,
            $properties,
        );
    }

    /** @param  array<string, mixed>  $properties */
    public static function segments(Grid $grid, array $properties = []): self
    {
        return new self($grid, [new Band(name: 'segment')], SampleType::UInt32, 0.0, Content::Segments, null, $properties);
    }

    /** The same but for some of it, by name: with(grid: $grid). */
    public function with(mixed ...$changes): self
    {
        return new self(...[...get_object_vars($this), ...$changes]);
    }

    /**
     * Values in floating point on the same grid, of the same scene; of the same bands where none are given.
     *
     * @param  list<Band>|null  $bands
     */
    public function measured(?array $bands = null): self
    {
        return new self($this->grid, $bands ?? $this->bands, properties: $this->properties);
    }

    /** Whether values are told to be reflectance of the ground, with the air taken out. */
    public function isSurfaceReflectance(): bool
    {
        return ($this->properties[self::REFLECTANCE] ?? null) === 'surface';
    }

    /** The code that means nodata; −1 where none does. */
    public function nodataCode(): int
    {
        return $this->nodata === null || is_nan($this->nodata) ? -1 : (int) $this->nodata;
    }

    /** Index of a band given by number from 1 or by role. */
    public function bandIndex(string $name): ?int
    {
        if (ctype_digit($name)) {
            $index = (int) $name - 1;

            return isset($this->bands[$index]) ? $index : null;
        }
        foreach ($this->bands as $index => $band) {
            if ($band->role === $name) {
                return $index;
            }
        }

        return null;
    }

    /** The bands as a person would name them: “1 blue, 2 green, 3”. */
    public function bandList(): string
    {
        $names = [];
        foreach ($this->bands as $index => $band) {
            $names[] = trim(($index + 1).' '.($band->role ?? $band->name));
        }

        return implode(', ', $names);
    }
}
