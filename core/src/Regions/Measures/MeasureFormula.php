<?php

namespace Chorometra\Core\Regions\Measures;

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Format\Measures;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;

/** Lines over measures: mean(nir), share("water") and the like stand in them, and a band by itself is its mean. */
final readonly class MeasureFormula
{
    /** @param  list<Wish>  $reads  in the order in which the formula takes them */
    private function __construct(private Formula $formula, public array $reads) {}

    /**
     * @param  list<string>  $reserved  names beside those of bands and measures that can't be given to a line
     *
     * @throws Problem about the setting `formulas`, with line and character where they can be told
     */
    public static function of(string $text, array $reserved = []): self
    {
        // measures of bands and classes stand in the formula under names that nobody else has in it
        for ($stem = 'measure_'; str_contains($text, $stem); $stem .= '_');
        $wishes = [];
        $calls = '/\b(?:'.implode('|', [...Wish::VALUES, ...Wish::AROUND]).')\([^()]*\)/u';
        $plain = (string) preg_replace_callback($calls, function (array $match) use (&$wishes, $stem): string {
            $wish = Wish::of($match[0]);
            $name = array_search($wish, $wishes, false);
            $name = $name === false ? $stem.count($wishes) : $name;
            $wishes[$name] = $wish;

            return $name;
        }, $text);
        $back = fn (string $sentence): string => strtr($sentence, array_map(fn (Wish $wish): string => $wish->name, $wishes));
        try {
            $formula = new Formula($plain, [...Band::ROLES, ...array_keys(Wish::SHAPES), ...$reserved]);
        } catch (Problem $problem) {
            throw new Problem($back($problem->getMessage()), $problem->status, 'formulas', $wishes === [] ? $problem->at : null);
        }

        return new self($formula, array_map(
            fn (string $name): Wish => $wishes[$name] ?? (array_key_exists($name, Wish::SHAPES) ? Wish::of($name) : Wish::of("mean($name)")),
            $formula->names(),
        ));
    }

    /**
     * @param  list<list<float>>  $values  of each measure read, one for each segment; NaN for none
     * @return array<string, list<float>> by the name of its line
     */
    public function values(array $values, int $segments): array
    {
        return array_combine($this->formula->made(), $this->formula->compile()($values, $segments));
    }

    /** Whether a text is the one measure that it reads, and not something made of it. */
    public function isPlain(string $text): bool
    {
        return count($this->reads) === 1 && in_array(str_replace(' ', '', $text), [str_replace(' ', '', $this->reads[0]->name), $this->reads[0]->of], true);
    }

    /**
     * A measure of a file, or a formula over those that it holds.
     *
     * @return list<float|int> one for each segment, in the order of the file
     *
     * @throws Problem where something in it is not measured
     */
    public static function column(Measures $file, string $text): array
    {
        $known = array_column($file->columns(), 'name');
        if (in_array($text, $known, true)) {
            return $file->values($text);
        }
        $made = self::of($text);
        $values = array_map(function (Wish $wish) use ($file, $known): array {
            // a line of the file may stand for itself
            $own = preg_match('/^mean\((.+)\)$/', $wish->name, $match) === 1 && ! in_array($wish->name, $known, true) ? $match[1] : $wish->name;
            if (! in_array($own, $known, true)) {
                throw Problem::call("$wish->name is not among the measures; there are ".implode(', ', array_slice($known, 1)).'.', 'measure');
            }

            return array_map(floatval(...), $file->values($own));
        }, $made->reads);
        $lines = $made->values($values, $file->count());

        return $lines[array_key_last($lines) ?? ''] ?? throw Problem::call('Type a measure or a formula.', 'measure');
    }
}
