<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/** Well-known binary (OGC 06-103r4, with the Z and M variants of ISO 19125) to the geometries of GeoJSON; heights and measures are left out. */
final class Wkb
{
    private const TYPES = [
        1 => 'Point',
        2 => 'LineString',
        3 => 'Polygon',
        4 => 'MultiPoint',
        5 => 'MultiLineString',
        6 => 'MultiPolygon',
        7 => 'GeometryCollection',
    ];

    private int $at = 0;

    private function __construct(private readonly string $bytes, private readonly string $name) {}

    /** @return array<string, mixed> */
    public static function read(string $bytes, string $name): array
    {
        return (new self($bytes, $name))->geometry(0);
    }

    /** @return array<string, mixed> */
    private function geometry(int $depth): array
    {
        $little = $this->take(1) === "\x01";
        $code = $this->whole($little);
        // ISO counts Z and M in thousands, an older habit in high bits
        $dimensions = 2 + (($code & 0x80000000) !== 0 ? 1 : 0) + (($code & 0x40000000) !== 0 ? 1 : 0);
        $code &= 0x0FFFFFFF;
        $dimensions += [0, 1, 1, 2][min(3, intdiv($code, 1000))];
        $type = self::TYPES[$code % 1000] ?? null;
        if ($type === null || $depth > 4) {
            throw Problem::input("$this->name holds a geometry of a kind that is not supported (curves, surfaces): save it as points, lines or polygons.");
        }
        if ($type === 'Point') {
            return ['type' => $type, 'coordinates' => $this->places($little, 1, $dimensions)[0]];
        }
        $count = $this->whole($little);
        if ($type === 'LineString') {
            return ['type' => $type, 'coordinates' => $this->places($little, $count, $dimensions)];
        }
        if ($type === 'Polygon') {
            $rings = [];
            for ($i = 0; $i < $count; $i++) {
                $rings[] = $this->places($little, $this->whole($little), $dimensions);
            }

            return ['type' => $type, 'coordinates' => $rings];
        }
        $parts = [];
        for ($i = 0; $i < $count; $i++) {
            $parts[] = $this->geometry($depth + 1);
        }

        return $type === 'GeometryCollection'
            ? ['type' => $type, 'geometries' => $parts]
            : ['type' => $type, 'coordinates' => array_column($parts, 'coordinates')];
    }

    /** @return list<array{float, float}> */
    private function places(bool $little, int $count, int $dimensions): array
    {
        $bytes = $this->take($count * $dimensions * 8);
        $numbers = array_values((array) unpack($little ? 'e*' : 'E*', $bytes));
        $places = [];
        for ($i = 0; $i < $count; $i++) {
            $places[] = [$numbers[$i * $dimensions], $numbers[$i * $dimensions + 1]];
        }

        return $places;
    }

    private function whole(bool $little): int
    {
        return (int) (unpack($little ? 'V' : 'N', $this->take(4))[1] ?? 0);
    }

    private function take(int $count): string
    {
        if ($count < 0 || $this->at + $count > strlen($this->bytes)) {
            throw Problem::input("$this->name is broken: a geometry in it is cut short.");
        }
        $this->at += $count;

        return substr($this->bytes, $this->at - $count, $count);
    }
}
