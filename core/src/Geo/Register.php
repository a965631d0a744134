<?php

namespace Chorometra\Core\Geo;

/**
 * The CRS that have a code, and the ways of their datums to WGS 84: core/resources/crs.csv and datums.csv.
 *
 * Source: EPSG Geodetic Parameter Dataset (IOGP), as PROJ 9.1.1 ships it; crs.py beside the tables says what was taken.
 */
final class Register
{
    private const NUMBERS = ['lat0', 'lon0', 'par1', 'par2', 'k', 'x0', 'y0', 'azimuth', 'skew'];

    private static ?string $table = null;

    /** @var array<int, array{name: string, method: string, datum: Datum, unit: float, numbers: array<string, float>}|null> by code */
    private static array $found = [];

    /** @var array<string, list<string>>|null rows by key */
    private static ?array $datums = null;

    /**
     * @return array{name: string, method: string, datum: Datum, unit: float, numbers: array<string, float>}|null
     *   unit in metres; angles in degrees, lengths in metres
     */
    public static function find(int $epsg): ?array
    {
        return self::$found[$epsg] ??= self::look($epsg);
    }

    /** @return array{name: string, method: string, datum: Datum, unit: float, numbers: array<string, float>}|null */
    private static function look(int $epsg): ?array
    {
        self::$table ??= self::read('crs.csv');
        $at = strpos(self::$table, "\n$epsg,");
        if ($at === false) {
            return null;
        }
        $row = self::cells(substr(self::$table, $at + 1, (int) strpos(self::$table, "\n", $at + 1) - $at - 1));
        $numbers = array_filter(array_combine(self::NUMBERS, array_slice($row, 5)), fn (string $cell): bool => $cell !== '');

        return [
            'name' => $row[1],
            'method' => $row[2],
            'datum' => self::datum($row[3]),
            'unit' => (float) $row[4],
            'numbers' => array_map(floatval(...), $numbers),
        ];
    }

    /** The code of a geographic CRS by its name or that of its datum, as other programs write it: without spaces, case and signs. */
    public static function geographic(string $name): ?int
    {
        self::$table ??= self::read('crs.csv');
        $wanted = self::plain($name);
        preg_match_all('/^(\d+),("[^"]*"|[^,]*),geographic,([^,]*),/m', self::$table, $rows, PREG_SET_ORDER);
        foreach ($rows as [, $code, $known, $key]) {
            if ($wanted !== '' && ($wanted === self::plain($known) || $wanted === self::plain(self::ways()[$key][13]))) {
                return (int) $code;
            }
        }

        return null;
    }

    private static function plain(string $name): string
    {
        $plain = preg_replace('/^(gcs|d)_|datum|geodetic|[^a-z0-9]/', '', strtolower($name));

        return (string) preg_replace('/19(?=\d\d$)/', '', (string) $plain);
    }

    /** @return array<string, list<string>> the ways to WGS 84 by key */
    private static function ways(): array
    {
        if (self::$datums === null) {
            foreach (array_slice(explode("\n", trim(self::read('datums.csv'))), 1) as $line) {
                $row = self::cells($line);
                self::$datums[$row[0]] = $row;
            }
        }

        return self::$datums ?? [];
    }

    private static function datum(string $key): Datum
    {
        $row = self::ways()[$key] ?? throw new \LogicException("No datum $key.");

        return new Datum(
            $row[1],
            new Ellipsoid((float) $row[2], (float) $row[3]),
            array_map(floatval(...), array_slice($row, 4, 7)),
            $row[11] === '' ? null : (float) $row[11],
            $row[12],
        );
    }

    private static function read(string $name): string
    {
        return (string) file_get_contents(__DIR__."/../../resources/$name");
    }

    /** @return list<string> */
    private static function cells(string $line): array
    {
        return array_map(strval(...), str_getcsv($line, escape: ''));
    }
}
