<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Arithmetic\Parser;
use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\NamedImages;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** Arithmetic over bands, typed by the analyst. */
final class FormulaOfBands extends LocalKind
{
    private const MOST_BANDS = 100;

    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.formula',
            'Formula',
            'Band arithmetic: each line of the formula, over the bands of one or several images, becomes a band.',
            [new Port('images', PortType::Image, 'Images used in the formula, on one grid; class maps too.', many: true)],
            [
                Setting::text(
                    'formula',
                    null,
                    'Lines such as “water = (green - nir) / (green + nir)”; a later line may use an earlier one. Bands go by role, or as band3; of '
                        .'several images by their names, as before.nir. There are + - * / ^, comparisons, and, or, not, where(condition, then, else), '
                        .'valid(x), nodata, pi, abs, sqrt, exp, ln, log10, sin, cos, tan, asin, acos, atan, atan2, min, max, clip(x, least, greatest), '
                        .'round, floor, and every index by its name, as ndvi(before). Lines may also be parted by semicolons.',
                    required: true,
                )->ofLines(Parser::words()),
                Setting::texts('names', 'Short names of the images in order, such as before, after. Empty: a, b, c …; a single image needs none.'),
            ],
            [new Port('result', PortType::Image, 'One band per line, in order.')],
            'Ordinary arithmetic; nodata through conditions by Kleene 1952, Introduction to Metamathematics, §64 (from memory).',
            synonyms: ['band arithmetic', 'expression', 'calculate'],
            example: new Example(['formula' => 'mean = (a.band1 + b.band1) / 2; bright = where(mean > 0.2, mean, nodata)']),
            figures: [
                Figure::list('lines', 'lines'),
                Figure::list('reads', 'reads'),
            ],
            desk: new Desk(1, ['{formula}'], evidence: [new Evidence('formula', own: ['formula', 'names'])]),
        );
    }

    public function plan(Call $call): Plan
    {
        $images = NamedImages::of($call);
        $formula = new Formula($call->text('formula'), [...Band::ROLES, ...$images->names()]);
        $bands = [];
        foreach ($formula->names() as $name) {
            try {
                $bands[$name] = $images->band($name, 'formula');
            } catch (Problem $problem) {
                throw new Problem($problem->getMessage(), $problem->status, 'formula', self::place($call->text('formula'), $name));
            }
        }
        if ($bands === [] || count($bands) > self::MOST_BANDS) {
            throw Problem::call($bands === [] ? 'The formula reads no band.' : 'The formula reads more than '.self::MOST_BANDS.' bands.', 'formula');
        }
        $compute = $formula->compile();
        $told = Properties::over(array_map(fn (array $one): array => $one[0]->spec()->properties, array_values($bands)));
        $made = array_map(fn (string $name): Band => new Band(name: $name), $formula->made());
        $readings = array_map(fn (array $one): Reading => new Reading($one[0], [$one[1]]), array_values($bands));

        return new Plan(
            $readings,
            ['result' => $images->first()->spec()->with(properties: $told)->measured($made)],
            fn (array $values): array => ['result' => $compute($values, count($values[0]))],
            figures: ['lines' => $formula->made(), 'reads' => $formula->names()] + self::warning($bands),
        );
    }

    /** @return array{line: int, character: int}|null where a name stands first */
    private static function place(string $text, string $name): ?array
    {
        foreach (preg_split('/[\n;]/', $text) ?: [] as $line => $part) {
            if (preg_match('/(?<![\w.])'.preg_quote($name, '/').'(?![\w.])/', $part, $found, PREG_OFFSET_CAPTURE)) {
                return ['line' => $line + 1, 'character' => mb_strlen(substr($part, 0, $found[0][1])) + 1];
            }
        }

        return null;
    }

    /**
     * @param  array<string, array{Image, int}>  $bands
     * @return array<string, string>
     */
    private static function warning(array $bands): array
    {
        $units = array_map(fn (array $one): ?string => $one[0]->spec()->bands[$one[1]]->unit, $bands);
        $counts = array_search('counts', $units, true);
        $shares = array_search('reflectance', $units, true);

        return $counts === false || $shares === false
            ? []
            : ['warning' => "The formula mixes counts ($counts) and reflectance ($shares); the result is hardly meaningful."];
    }
}
