<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Utf8;
use Opis\JsonSchema\Errors\ValidationError;
use Opis\JsonSchema\Validator;

/** Legends, models, keys and methods: JSON files, each held to its schema in core/resources/schemas. */
final class Document
{
    public const TYPES = ['legend', 'model', 'key', 'method'];

    private const MOST = 64 << 20;

    private const MOST_DECODED = 320 << 20;

    private const DEPTH = 64;

    /**
     * @param  string|null  $type  what it has to be; any of ours where null
     * @return array<string, mixed>
     *
     * @throws Problem with one sentence: what is wrong, and where in the file
     */
    public static function read(string $path, ?string $type = null): array
    {
        $name = basename($path);
        if (is_file($path) && filesize($path) > self::MOST) {
            throw Problem::input("$name is larger than the ".(self::MOST >> 20).' MB that are taken.');
        }
        $text = preg_replace('/^\xef\xbb\xbf/', '', Utf8::of((string) @file_get_contents($path))) ?? '';
        self::bound($text, $name);
        $told = json_decode($text, depth: self::DEPTH);
        $is = $told instanceof \stdClass && is_string($told->type ?? null) ? $told->type : null;
        if ($told === null || $is === null) {
            throw Problem::input($told === null ? "$name is no JSON: it may have been cut short or edited by hand." : "$name does not say what it is.");
        }
        if (! in_array($is, self::TYPES, true) || ($type !== null && $is !== $type)) {
            throw Problem::input("$name holds a $is".($type === null ? ', which is not supported.' : ", and a $type is wanted."));
        }
        if (($told->version ?? null) !== 1) {
            throw Problem::input("$name was written by a later version of this program.");
        }
        self::check($told, $is, $name);

        unset($told);

        return (array) json_decode($text, true, self::DEPTH);
    }

    /** What a text of JSON takes once it is decoded is told by its marks, before it is. */
    private static function bound(string $text, string $name): void
    {
        $bytes = 400 * (substr_count($text, '[') + substr_count($text, '{')) + 32 * substr_count($text, ',');
        if ($bytes > self::MOST_DECODED) {
            throw Problem::input("$name contains too many values.");
        }
    }

    /**
     * A document that came otherwise than as a file.
     *
     * @param  array<string, mixed>  $document
     * @param  string  $name  how a message names it
     * @return array<string, mixed>
     *
     * @throws Problem with one sentence: what is wrong, and where in it
     */
    public static function checked(array $document, string $name): array
    {
        // as JSON it has objects again where arrays were
        self::check(json_decode(self::text($document)), (string) ($document['type'] ?? ''), $name);

        return $document;
    }

    /** @param  array<string, mixed>  $document  with type and version */
    public static function write(string $path, array $document): void
    {
        $text = self::text($document);
        self::check(json_decode($text), (string) ($document['type'] ?? ''), basename($path));
        Files::write($path, $text);
    }

    /** @param  array<string, mixed>  $document */
    private static function text(array $document): string
    {
        $flags = JSON_PRETTY_PRINT | JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_PRESERVE_ZERO_FRACTION | JSON_THROW_ON_ERROR;

        return json_encode($document, $flags)."\n";
    }

    /** Which of ours a text is by its beginning; null for none. */
    public static function type(string $head): ?string
    {
        return preg_match('/^\s*\{(?:[^{}\[\]]*,)?\s*"type"\s*:\s*"('.implode('|', self::TYPES).')"/', $head, $match) === 1 ? $match[1] : null;
    }

    private static function check(mixed $told, string $type, string $name): void
    {
        $schema = json_decode((string) file_get_contents(dirname(__DIR__, 2)."/resources/schemas/$type.schema.json"));
        $error = (new Validator)->validate($told, $schema)->error();
        if ($error !== null) {
            $error = self::leaf($error);
            $where = implode(' / ', array_map(fn (mixed $part): string => is_int($part) ? (string) ($part + 1) : (string) $part, $error->data()->fullPath()));
            $args = $error->args();
            $what = match ($error->keyword()) {
                'required' => 'lacks “'.implode('”, “', (array) ($args['missing'] ?? [])).'”',
                'type' => 'is '.self::words($args['type'] ?? '').', not '.self::words($args['expected'] ?? ''),
                'enum', 'const', 'pattern' => 'is not a known one',
                'minimum', 'maximum', 'exclusiveMinimum' => 'is out of range',
                'minItems', 'minLength' => 'is empty',
                'maxItems', 'maxLength' => 'is too long',
                default => 'is not as it must be',
            };
            throw Problem::input("$name is broken: ".($where === '' ? 'it' : "the value at $where").' '.$what.'.');
        }
    }

    private static function leaf(ValidationError $error): ValidationError
    {
        while ($error->subErrors() !== []) {
            $error = $error->subErrors()[0];
        }

        return $error;
    }

    /** @param  string|list<string>  $types */
    private static function words(string|array $types): string
    {
        return implode(
            ' or ',
            array_map(
                fn (string $type): string => [
                    'object' => 'a group of values',
                    'array' => 'a list',
                    'string' => 'a text',
                    'number' => 'a number',
                    'integer' => 'a whole number',
                    'boolean' => 'yes or no',
                    'null' => 'nothing',
                ][$type] ?? $type,
                (array) $types,
            ),
        );
    }
}
