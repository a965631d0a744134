<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Derive\Arithmetic\Formula;
use Chorometra\Core\Derive\Arithmetic\Parser;
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
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** Arithmetic over bands, typed by the analyst. */
final class FormulaOfBands implements LocalKind
{
    /** Names of images where none are told. */
    private const LETTERS = ['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h', 'i', 'j', 'k', 'l', 'm', 'n', 'o', 'p', 'q', 'r', 's', 't'];

    private const MOST_BANDS = 100;

    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.formula',
            'Formula',
            'Computes what you write: lines of arithmetic over the bands of one image or several, each line a band.',
            [new Port('images', PortType::Image, 'The images that the formula reads, on one grid; class maps too.', many: true)],
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
                Setting::texts('names', 'Short names of the images, in their order: before, after. When empty a, b, c …; of one image none is needed.'),
            ],
            [new Port('result', PortType::Image, 'A band for each line, in its order.')],
            'Ordinary arithmetic; nodata through conditions by Kleene 1952, Introduction to Metamathematics, §64 (from memory).',
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
        $images = $call->images('images');
        $names = self::names($call->texts('names'), count($images));
        $images = array_combine($names, $images);
        $first = $images[$names[0]];
        foreach ($images as $image) {
            if (! $first->spec()->grid->matches($image->spec()->grid)) {
                throw Problem::input(
                    "{$image->name()} and {$first->name()} do not lie on one grid: the one is {$image->spec()->grid->describe()}, the other "
                        ."{$first->spec()->grid->describe()}. Bring them onto one grid first (gather.reproject).",
                    'images',
                );
            }
        }
        $formula = new Formula($call->text('formula'), [...Band::ROLES, ...$names]);
        $bands = [];
        foreach ($formula->names() as $name) {
            try {
                $bands[$name] = self::band($name, $images);
            } catch (Problem $problem) {
                throw new Problem($problem->getMessage(), $problem->status, 'formula', self::place($call->text('formula'), $name));
            }
        }
        if ($bands === [] || count($bands) > self::MOST_BANDS) {
            throw Problem::call($bands === [] ? 'The formula reads no band.' : 'The formula reads more than '.self::MOST_BANDS.' bands.', 'formula');
        }
        $compute = $formula->compile();
        $readings = array_map(fn (array $one): Reading => new Reading($images[$one[0]], [$one[1]]), array_values($bands));

        return new Plan(
            $readings,
            ['result' => $first->spec()->measured(array_map(fn (string $name): Band => new Band(name: $name), $formula->made()))],
            fn (array $values): array => ['result' => $compute($values, count($values[0]))],
            figures: ['lines' => $formula->made(), 'reads' => $formula->names()] + self::warning($bands, $images),
        );
    }

    /**
     * @param  list<string>  $told
     * @return list<string>
     */
    private static function names(array $told, int $count): array
    {
        if ($count > count(self::LETTERS)) {
            throw Problem::call('A formula reads '.count(self::LETTERS).' images at most.', 'images');
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

    /**
     * Which image and band a name stands for.
     *
     * @param  array<string, Image>  $images
     * @return array{string, int}
     */
    private static function band(string $name, array $images): array
    {
        $isOf = str_contains($name, '.');
        $image = $isOf ? (string) strstr($name, '.', true) : null;
        $band = $isOf ? substr((string) strstr($name, '.'), 1) : $name;
        if ($image !== null && ! isset($images[$image])) {
            throw Problem::call("There is no image “{$image}”; there is ".implode(', ', array_keys($images)).'.', 'formula');
        }
        // an image of one band goes by its own name
        if ($image === null && isset($images[$name]) && count($images[$name]->spec()->bands) === 1) {
            return [$name, 0];
        }
        if ($image === null && count($images) > 1) {
            $first = (string) array_key_first($images);
            throw Problem::call("Of which image is “{$name}”? Say $first.$name, for one.", 'formula');
        }
        $image ??= (string) array_key_first($images);

        $spec = $images[$image]->spec();
        $index = $spec->bandIndex(preg_match('/^band(\d+)$/', $band, $found) ? $found[1] : $band);

        return $index !== null ? [$image, $index] : throw Problem::call(
            "There is no “{$band}” in {$images[$image]->name()}, nor a line or function of that name; it has the bands {$spec->bandList()}.",
            'formula',
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
     * @param  array<string, array{string, int}>  $bands
     * @param  array<string, Image>  $images
     * @return array<string, string>
     */
    private static function warning(array $bands, array $images): array
    {
        $units = array_map(fn (array $one): ?string => $images[$one[0]]->spec()->bands[$one[1]]->unit, $bands);
        $counts = array_search('counts', $units, true);
        $shares = array_search('reflectance', $units, true);

        return $counts === false || $shares === false
            ? []
            : ['warning' => "The formula mixes counts ($counts) and reflectance ($shares): what it gives means little."];
    }
}
