<?php

namespace Chorometra\Core\Classify\Cases;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Regions\Measures\Measured;
use Chorometra\Core\Regions\Measures\MeasureFormula;
use Chorometra\Core\Step\NamedImages;
use Chorometra\Core\Work\Context;

/** Segments that questions are asked of, and their measures; each is one or several of the segments that were given. */
final class SegmentCases implements Cases
{
    private readonly Measured $measured;

    /** @var array<string, array{unit: string|null, values: list<float>}> by measure or formula */
    private array $columns = [];

    /** @var array<string, MeasureFormula> that were checked; what they read is looked for together */
    private array $formulas = [];

    /** @var array{list<float>|null}|null in hectares, once they were asked for */
    private ?array $hectares = null;

    /**
     * @param  list<list<int>>|null  $leaves  places of the segments given that each is made of; null where each is one of them
     * @param  list<int>|null  $numbers  in the image, rising, where they are known already
     */
    public function __construct(
        private readonly Image $image,
        private readonly ?NamedImages $images,
        private readonly ?Image $classes,
        private readonly Context $context,
        private readonly ?array $leaves = null,
        private readonly ?Shelf $shelf = null,
        private ?array $numbers = null,
    ) {
        $this->measured = new Measured($image, $images, $classes, Ground::of($image->spec()->grid), $context);
    }

    /**
     * Other pieces of the same images.
     *
     * @param  list<list<int>>  $leaves
     *
     * @throws Problem where these images can't give what was checked
     */
    public function cut(Image $image, array $leaves): self
    {
        $cut = new self($image, $this->images, $this->classes, $this->context, $leaves);
        array_map($cut->check(...), array_keys($this->formulas));

        return $cut;
    }

    /** @return list<int> numbers in the image, rising */
    public function numbers(): array
    {
        return $this->numbers ??= $this->measured->numbers();
    }

    public function count(): int
    {
        return count($this->numbers());
    }

    public function leaves(): ?array
    {
        return $this->leaves;
    }

    /** @return list<float> */
    public function pixels(): array
    {
        return $this->column('pixels')['values'];
    }

    public function hectares(): ?array
    {
        if ($this->hectares === null) {
            $areas = $this->column('area');
            $this->hectares = [$areas['unit'] === null ? null : array_map(fn (float $area): float => $area / 1e4, $areas['values'])];
        }

        return $this->hectares[0];
    }

    /** Of a formula over measures it is the last line, in the order of the numbers. */
    public function column(string $text): array
    {
        return $this->columns[$text] ??= $this->shelf?->take($text) ?? $this->made($text);
    }

    /** @throws Problem where these images can't give a measure; to be asked of all before the first is looked for */
    public function check(string $text): void
    {
        $formula = MeasureFormula::of($text, $this->images?->names() ?? []);
        foreach ($formula->reads as $wish) {
            $this->measured->check($wish, 'key');
        }
        $this->formulas[$text] = $formula;
    }

    /** @return array{unit: string|null, values: list<float>} */
    private function made(string $text): array
    {
        if (! isset($this->formulas[$text])) {
            $this->check($text);
        }
        $formula = $this->formulas[$text];
        $given = array_map($this->measured->column(...), $formula->reads);
        $lines = $formula->values(array_column($given, 'values'), $this->count());
        $column = [
            'unit' => $formula->isPlain($text) ? $given[0]['unit'] : null,
            'values' => $lines[array_key_last($lines) ?? throw Problem::call('A measure is missing.', 'key')],
        ];
        $this->shelf?->put($text, $column);

        return $column;
    }
}
