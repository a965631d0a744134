<?php

namespace Chorometra\Core\Regions\Measures;

use Chorometra\Core\Problem;

/** One measure as it is asked for: by name alone, or of a band or class in brackets. */
final readonly class Wish
{
    /** Of the shape and the place of a segment, with their units. */
    public const SHAPES = [
        'pixels' => null,
        'area' => 'm²',
        'perimeter' => 'm',
        'length' => 'm',
        'width' => 'm',
        'compactness' => null,
        'elongation' => null,
        'x' => null,
        'y' => null,
    ];

    /** Of the values of a band in a segment. */
    public const VALUES = ['mean', 'deviation', 'minimum', 'maximum', 'median', 'range', 'contrast'];

    /** Of what lies around a segment, by class: the share of its edge that lies against it, and how far away the next of it is. */
    public const AROUND = ['share', 'distance'];

    private function __construct(public string $name, public string $what, public ?string $of) {}

    /** @throws Problem where the text is no measure */
    public static function of(string $text): self
    {
        $known = implode(', ', [
            ...array_keys(self::SHAPES),
            ...array_map(fn (string $one): string => "$one(band)", self::VALUES),
            ...array_map(fn (string $one): string => "$one(\"class\")", self::AROUND),
        ]);
        if (preg_match('/^([a-z]+)$/', $text, $match) && array_key_exists($match[1], self::SHAPES)) {
            return new self($text, $match[1], null);
        }
        if (preg_match('/^([a-z]+)\(\s*([a-z][a-z0-9_]*(?:\.[a-z][a-z0-9_]*)?)\s*\)$/', $text, $match) && in_array($match[1], self::VALUES, true)) {
            return new self("$match[1]($match[2])", $match[1], $match[2]);
        }
        if (preg_match('/^([a-z]+)\(\s*["“”]?([^"“”]+)["“”]?\s*\)$/u', $text, $match) && in_array($match[1], self::AROUND, true)) {
            return new self("$match[1](\"$match[2]\")", $match[1], trim($match[2]));
        }
        throw Problem::call("“{$text}” is not a measure; the measures are $known.", 'measures');
    }

    public function isOfBand(): bool
    {
        return in_array($this->what, self::VALUES, true);
    }
}
