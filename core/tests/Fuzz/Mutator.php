<?php

namespace Chorometra\Core\Tests\Fuzz;

use Random\Randomizer;

/**
 * Changes sound files: bytes anywhere, numbers and words in texts, values in JSON. A change is a plain record, so that a case can be
 * made again with fewer of them.
 */
final class Mutator
{
    private const NUMBERS = [
        '0',
        '-1',
        '1e999',
        '-1e999',
        '1e-320',
        'NaN',
        '4294967295',
        '-9223372036854775808',
        '99999999999999999999',
        '0.1',
        '181',
        '1e308',
        '""',
        'null',
        '[]',
        '{}',
        'true',
        '"x"',
        '[[1,2],3]',
        '2147483648',
    ];

    private const VALUES = [
        null,
        true,
        false,
        0,
        -1,
        1,
        1e308,
        -1e-320,
        4294967296,
        9223372036854775807,
        '',
        'x',
        '1e999',
        "\u{0}",
        [],
        [1],
        [[]],
        [null],
        ['a' => 1],
        'Polygon',
        'EPSG:4326',
        181.0,
        91.0,
    ];

    private const WORDS = [0, 1, 2, 255, 256, 65535, 65536, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF, 0x7FFFFFFFFFFFFFFF, -1];

    public function __construct(private readonly Randomizer $random) {}

    /**
     * Some changes for the files of a sample.
     *
     * @param  array<string, string>  $files  contents by name
     * @return list<array<string, mixed>>
     */
    public function changes(array $files): array
    {
        $changes = [];
        for ($i = $this->random->getInt(1, 6); $i > 0; $i--) {
            $names = array_keys($files);
            $name = $names[$this->random->getInt(0, count($names) - 1)];
            $bytes = $files[$name];
            $length = strlen($bytes);
            $isJson = str_starts_with(ltrim(substr($bytes, 0, 64)), '{') && $this->random->getInt(0, 3) > 0;
            $isText =
                ! $isJson &&
                $length < 1 << 20 &&
                mb_check_encoding(substr($bytes, 0, 200), 'UTF-8') &&
                ! str_contains(substr($bytes, 0, 200), "\0") &&
                $this->random->getInt(0, 3) > 0;
            // heads hold what steers a reader
            $at =
                $length === 0
                    ? 0
                    : ($this->random->getInt(0, 1) === 0
                        ? $this->random->getInt(0, min($length - 1, 600))
                        : $this->random->getInt(0, $length - 1));
            $changes[] =
                ['file' => $name] +
                match (true) {
                    $isJson => ['do' => 'value', 'which' => $this->random->getInt(0, 1 << 20), 'as' => $this->random->getInt(0, count(self::VALUES) + 1)],
                    $isText => ['do' => 'number', 'which' => $this->random->getInt(0, 1 << 20), 'as' => $this->random->getInt(0, count(self::NUMBERS) - 1)],
                    default => match ($this->random->getInt(0, 6)) {
                        0 => ['do' => 'flip', 'at' => $at, 'bit' => $this->random->getInt(0, 7)],
                        1 => ['do' => 'set', 'at' => $at, 'bytes' => bin2hex($this->random->getBytes($this->random->getInt(1, 8)))],
                        2, 3 => [
                            'do' => 'set',
                            'at' => $at & ~1,
                            'bytes' => bin2hex(
                                pack(
                                    ['C', 'v', 'n', 'V', 'N', 'P', 'J'][$this->random->getInt(0, 6)],
                                    self::WORDS[$this->random->getInt(0, count(self::WORDS) - 1)],
                                ),
                            ),
                        ],
                        4 => ['do' => 'cut', 'at' => $at, 'length' => $this->random->getInt(1, max(1, intdiv($length, 4)))],
                        5 => ['do' => 'twice', 'at' => $at, 'length' => $this->random->getInt(1, max(1, min(4096, intdiv($length, 2))))],
                        default => ['do' => 'end', 'at' => $at],
                    },
                };
        }

        return $changes;
    }

    /**
     * @param  array<string, string>  $files
     * @param  list<array<string, mixed>>  $changes
     * @return array<string, string>
     */
    public static function apply(array $files, array $changes): array
    {
        foreach ($changes as $change) {
            $bytes = $files[$change['file']];
            $files[$change['file']] = match ($change['do']) {
                'flip' => isset($bytes[$change['at']])
                    ? substr_replace($bytes, chr(ord($bytes[$change['at']]) ^ (1 << $change['bit'])), $change['at'], 1)
                    : $bytes,
                'set' => substr_replace($bytes, (string) hex2bin($change['bytes']), min(strlen($bytes), $change['at']), intdiv(strlen($change['bytes']), 2)),
                'cut' => substr_replace($bytes, '', min(strlen($bytes), $change['at']), $change['length']),
                'twice' => substr_replace($bytes, substr($bytes, $change['at'], $change['length']), min(strlen($bytes), $change['at']), 0),
                'end' => substr($bytes, 0, $change['at']),
                'number' => self::number($bytes, $change['which'], self::NUMBERS[$change['as']]),
                'value' => self::value($bytes, $change['which'], $change['as']),
                default => $bytes,
            };
        }

        return $files;
    }

    /** Another token in the place of a number or word. */
    private static function number(string $text, int $which, string $as): string
    {
        $count = preg_match_all('/"[^"]{0,40}"|[-+]?\d[\d.eE+-]*|\b[A-Za-z_]{2,}\b/', $text, $found, PREG_OFFSET_CAPTURE);
        if ($count === 0 || $count === false) {
            return $text;
        }
        [$token, $at] = $found[0][$which % $count];

        return substr_replace($text, $as, $at, strlen($token));
    }

    /** Another value, of any type, in the place of one in JSON; or none, or one nested deeply. */
    private static function value(string $text, int $which, int $as): string
    {
        $json = json_decode($text, true);
        if (! is_array($json)) {
            return $text;
        }
        $places = [];
        $walk = function (array $node, array $path) use (&$walk, &$places): void {
            foreach ($node as $key => $value) {
                $places[] = [...$path, $key];
                if (is_array($value) && count($places) < 20_000) {
                    $walk($value, [...$path, $key]);
                }
            }
        };
        $walk($json, []);
        if ($places === []) {
            return $text;
        }
        $path = $places[$which % count($places)];
        $last = array_pop($path);
        $node = &$json;
        foreach ($path as $key) {
            $node = &$node[$key];
        }
        if ($as === count(self::VALUES)) {
            unset($node[$last]);
        } elseif ($as > count(self::VALUES)) {
            $node[$last] = 'DEEP';
        } else {
            $node[$last] = self::VALUES[$as];
        }

        return str_replace(
            '"DEEP"',
            str_repeat('[', 600).str_repeat(']', 600),
            (string) json_encode($json, JSON_UNESCAPED_SLASHES | JSON_PARTIAL_OUTPUT_ON_ERROR),
        );
    }
}
