<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Format\UntrustedValue;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Utf8;

/**
 * A GeoJSON text (RFC 7946) read in a stream: its members are found by a scanner that only looks at brackets and quotes, and features
 * decoded one by one, so that memory follows the largest feature and not the file.
 */
final class GeoJsonFile
{
    private const CHUNK = 1 << 20;

    /** A feature's text; larger ones would take a gigabyte once decoded. */
    private const MOST_FEATURE = 16 << 20;

    private const GEOMETRIES = ['Point', 'MultiPoint', 'LineString', 'MultiLineString', 'Polygon', 'MultiPolygon', 'GeometryCollection'];

    /** @var resource */
    private $handle;

    private string $buffer = '';

    private int $at = 0;

    private bool $ended = false;

    private string $name;

    private string $type = '';

    /** The text of “crs”, where there is one. */
    private string $crs = '';

    /** Byte at which the list of features begins; null where the whole is one feature or geometry. */
    private ?int $start = null;

    public int $count = 0;

    /** @throws Problem where it can't be opened */
    public function __construct(private readonly string $path)
    {
        $this->name = basename($path);
        $handle = is_file($path) ? @fopen($path, 'rb') : false;
        if ($handle === false) {
            throw Problem::input("$this->name can't be opened.");
        }
        $this->handle = $handle;
        $this->skim();
    }

    /** The EPSG code that a legacy member “crs” names; WGS 84 where there is none. */
    public function epsg(): int
    {
        $name = UntrustedValue::orNothing($this->crs)?->at('properties', 'name')->text() ?? '';

        return preg_match('/EPSG:+(\d{1,9})$/', $name, $match) ? (int) $match[1] : 4326;
    }

    /** @return \Generator<int, UntrustedValue> members of type Feature, or what stands in their place */
    public function features(): \Generator
    {
        if ($this->start === null) {
            $this->rewind(0);
            $whole = UntrustedValue::json($this->value(true), $this->name);
            yield $this->type === 'Feature' ? $whole : new UntrustedValue(['geometry' => $whole->raw()]);

            return;
        }
        $this->rewind($this->start);
        $first = true;
        while ($this->next() !== ']') {
            if (! $first) {
                $this->expect(',');
            }
            $first = false;
            yield UntrustedValue::json($this->value(true), $this->name, 'file');
        }
    }

    /** One look over the file: what its members are, and how many features there are. */
    private function skim(): void
    {
        $this->rewind(0);
        if ($this->next() !== '{') {
            throw $this->none();
        }
        $this->at++;
        $first = true;
        while ($this->next() !== '}') {
            if (! $first) {
                $this->expect(',');
            }
            $first = false;
            $key = $this->next() === '"' ? UntrustedValue::orNothing($this->value(true))?->text() : throw $this->none();
            $this->expect(':');
            if ($key === 'features' && $this->start === null && $this->next() === '[') {
                $this->at++;
                $this->start = $this->position();
                for (; $this->next() !== ']'; $this->count++) {
                    if ($this->count > 0) {
                        $this->expect(',');
                    }
                    $this->value(false);
                }
                $this->at++;
            } elseif ($key === 'type' && $this->type === '') {
                $this->type = UntrustedValue::orNothing($this->value(true))?->text() ?? '';
            } elseif ($key === 'crs' && $this->crs === '') {
                $this->crs = $this->value(true);
            } else {
                $this->value(false);
            }
        }
        $this->at++;
        if ($this->next() !== '') {
            throw $this->none();
        }
        if ($this->type !== 'FeatureCollection' && ($this->type === 'Feature' || in_array($this->type, self::GEOMETRIES, true))) {
            [$this->start, $this->count] = [null, 1];
        } elseif ($this->start === null) {
            throw $this->none();
        }
    }

    /** Passes over one value, and gives its text where it is wanted. */
    private function value(bool $wanted): string
    {
        $text = '';
        $first = $this->next();
        if ($first !== '{' && $first !== '[' && $first !== '"') {
            // a number or a word
            do {
                $length = strspn($this->buffer, '+-.0123456789eEINafilnrstuy', $this->at);
                $text .= $wanted ? substr($this->buffer, $this->at, $length) : ($length > 0 ? '0' : '');
                $this->at += $length;
            } while ($this->at === strlen($this->buffer) && strlen($text) < 400 && $this->more());

            return $text !== '' ? $text : throw $this->broken();
        }
        $depth = 0;
        // in an object its braces tell where it ends: coordinates, which are nearly all of the text, are passed over in one go
        $marks = $first === '{' ? '{}"' : '{}[]"';
        do {
            if ($this->at >= strlen($this->buffer) && ! $this->more()) {
                throw $this->broken();
            }
            $end = $this->at + strcspn($this->buffer, $marks, $this->at);
            $mark = $this->buffer[$end] ?? '';
            if ($mark === '"') {
                $end = $this->string($end);
            } elseif ($mark === '{' || $mark === '[') {
                $depth++;
                $end++;
            } elseif ($mark !== '') {
                $depth--;
                $end++;
            }
            if ($wanted) {
                $text .= substr($this->buffer, $this->at, $end - $this->at);
                if (strlen($text) > self::MOST_FEATURE) {
                    throw $this->large();
                }
            }
            $this->at = $end;
        } while ($depth > 0 || ($mark === '' && $depth === 0));

        return $text;
    }

    /** The end of a string that begins at a place in the buffer. */
    private function string(int $at): int
    {
        for ($end = $at + 1; ;) {
            $end += strcspn($this->buffer, '"\\', $end);
            if ($end >= strlen($this->buffer)) {
                if (strlen($this->buffer) - $at > self::MOST_FEATURE) {
                    throw $this->large();
                }
                if (! $this->more(false)) {
                    throw $this->broken();
                }
            } elseif ($this->buffer[$end] === '"') {
                return $end + 1;
            } else {
                // what is escaped may lie beyond what was read
                if ($end + 2 > strlen($this->buffer) && ! $this->more(false)) {
                    throw $this->broken();
                }
                $end += 2;
            }
        }
    }

    /** The next character that is no white space; empty at the end. */
    private function next(): string
    {
        do {
            $this->at += strspn($this->buffer, " \t\r\n", $this->at);
        } while ($this->at >= strlen($this->buffer) && $this->more());

        return $this->buffer[$this->at] ?? '';
    }

    private function expect(string $mark): void
    {
        if ($this->next() !== $mark) {
            throw $this->broken();
        }
        $this->at++;
    }

    /** @param  bool  $forget  whether what lies before the place reached may go */
    private function more(bool $forget = true): bool
    {
        if ($this->ended) {
            return false;
        }
        $piece = (string) fread($this->handle, self::CHUNK);
        $this->ended = $piece === '';
        if ($forget) {
            $this->buffer = substr($this->buffer, $this->at);
            $this->at = 0;
        }
        $this->buffer .= $piece;

        return ! $this->ended;
    }

    private function position(): int
    {
        return (int) ftell($this->handle) - strlen($this->buffer) + $this->at;
    }

    private function rewind(int $to): void
    {
        // a generator that runs twice, or in a child, has a place of its own
        $handle = Utf8::open($this->path);
        if ($handle === false) {
            throw Problem::input("$this->name went away while it was being read.");
        }
        $this->handle = $handle;
        $to === 0 || fseek($handle, $to);
        [$this->buffer, $this->at, $this->ended] = ['', 0, false];
    }

    private function none(): Problem
    {
        return Problem::input("$this->name is no GeoJSON: features were expected.");
    }

    private function large(): Problem
    {
        return Problem::input(
            sprintf('%s has a feature of more than %d MB: simplify it, or cut it into parts.', $this->name, self::MOST_FEATURE >> 20),
            'file',
        );
    }

    private function broken(): Problem
    {
        return Problem::input("$this->name is broken near byte {$this->position()}: it is no JSON from there on.");
    }
}
