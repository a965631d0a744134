<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Regions\Measures\MeasureFormula;
use Chorometra\Core\Step\NamedImages;

/** The measures of a key as they are asked of pixels: a band stands for its value, and what is of a segment can't be asked. */
final readonly class PixelQuestions
{
    /** @var array<string, MeasureFormula> by measure */
    private array $formulas;

    /** @var array<string, list<array{Image, int}>> bands that each reads */
    private array $bands;

    /** @throws Problem where a couplet asks what these images can't tell of pixels */
    public function __construct(KeyDocument $key, private NamedImages $images)
    {
        $formulas = $bands = [];
        foreach ($key->order() as $couplet) {
            foreach ($couplet->measures() as $text) {
                try {
                    $formula = MeasureFormula::of($text, $images->names());
                    $bands[$text] = [];
                    foreach ($formula->reads as $wish) {
                        if (! in_array($wish->what, ['mean', 'minimum', 'maximum', 'median'], true)) {
                            throw Problem::call("“{$wish->name}” is a measure of segments, but pixels are classified: give segments, or use bands.");
                        }
                        $bands[$text][] = $images->band((string) $wish->of, 'key');
                    }
                    $formulas[$text] = $formula;
                } catch (Problem $problem) {
                    throw $couplet->met($problem);
                }
            }
        }
        $this->formulas = $formulas;
        $this->bands = $bands;
    }

    /** Bands that are read for a block. */
    public function count(): int
    {
        return array_sum(array_map(count(...), $this->bands)) + count($this->bands);
    }

    /** @return array{PixelCases, list<int>} the pixels of a window that have a value anywhere, and their places in it */
    public function cases(Window $window): array
    {
        $bands = [];
        $values = [];
        foreach ($this->bands as $text => $read) {
            foreach ($read as [$image, $band]) {
                $id = spl_object_id($image).".$band";
                $values[$text][] = $bands[$id] ??= Values::of($image, $band, $window);
            }
        }
        $columns = [];
        foreach ($this->formulas as $text => $formula) {
            $lines = $formula->values($values[$text] ?? [], $window->pixels());
            $columns[$text] = $lines[array_key_last($lines)];
        }
        $valid = self::valid(array_values($bands), $window->pixels());
        if (count($valid) < $window->pixels()) {
            foreach ($columns as $text => $column) {
                $columns[$text] = self::picked($column, $valid);
            }
        }

        return [new PixelCases($columns, $this->units(), count($valid)), $valid];
    }

    /** Pixels of rows and columns evenly far apart. */
    public function sample(Grid $grid, int $most): PixelCases
    {
        $step = max(1, (int) ceil(sqrt($grid->width * $grid->height / $most)));
        $columns = array_fill_keys(array_keys($this->bands), []);
        $count = 0;
        for ($row = intdiv($step, 2); $row < $grid->height; $row += $step) {
            [$cases, $places] = $this->cases(new Window(0, $row, $grid->width, 1));
            foreach ($places as $i => $col) {
                if ($col % $step === intdiv($step, 2)) {
                    $count++;
                    foreach (array_keys($columns) as $text) {
                        $columns[$text][] = $cases->column($text)['values'][$i];
                    }
                }
            }
        }

        return new PixelCases($columns, $this->units(), $count);
    }

    /** @return array<string, string|null> by measure */
    private function units(): array
    {
        return array_combine(array_keys($this->bands), array_map($this->unit(...), array_keys($this->bands)));
    }

    private function unit(string $text): ?string
    {
        if (count($this->bands[$text]) !== 1 || ! $this->formulas[$text]->isPlain($text)) {
            return null;
        }
        [[$image, $band]] = $this->bands[$text];

        return $image->spec()->bands[$band]->unit;
    }

    /**
     * @param  list<list<float>>  $bands
     * @return list<int> places where any has a value
     */
    private static function valid(array $bands, int $count): array
    {
        $valid = [];
        $number = count($bands);
        for ($i = 0; $i < $count; $i++) {
            for ($band = 0; $band < $number; $band++) {
                if ($bands[$band][$i] === $bands[$band][$i]) {
                    $valid[] = $i;
                    break;
                }
            }
        }

        return $valid;
    }

    /**
     * @param  list<float>  $values
     * @param  list<int>  $places
     * @return list<float>
     */
    private static function picked(array $values, array $places): array
    {
        $some = [];
        foreach ($places as $place) {
            $some[] = $values[$place];
        }

        return $some;
    }
}
