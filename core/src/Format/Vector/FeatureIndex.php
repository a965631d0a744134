<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Projection;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;

/**
 * The features of a file as views want them: in map coordinates of one CRS, those of a window found without reading the others. A file of
 * the application's own, made anew whenever it is missing: boxes of many features, boxes and places of each, and the features as JSON.
 */
final class FeatureIndex
{
    /** Features whose boxes are looked at together. */
    private const CHUNK = 512;

    /** Four sides, offset and length. */
    private const RECORD = 48;

    private const HEAD = 'CFI1';

    /** Corners in one answer. */
    private const MOST_PLACES = 400_000;

    public function __construct(private readonly string $path) {}

    /** Whether there is one that this version can read. */
    public static function isMade(string $path): bool
    {
        return is_file($path) && file_get_contents($path, false, null, 0, strlen(self::HEAD)) === self::HEAD;
    }

    /** @throws Problem where the features have no CRS that is known */
    public static function build(FeatureSet $set, Projection $to, string $path): void
    {
        $from = $set->projection ?? throw Problem::input("$set->name names no CRS that is known here.");
        Files::replace($path, function ($handle, string $path) use ($set, $from, $to): void {
            $records = $boxes = [];
            $chunk = '';
            $around = [INF, INF, -INF, -INF];
            $at = strlen(self::HEAD);
            $number = 0;
            Files::put($handle, self::HEAD, $path);
            foreach ($set->features() as ['geometry' => $geometry, 'properties' => $properties]) {
                $number++;
                $moved = $geometry === null ? null : Geometry::moved($geometry, fn (float $x, float $y): array => $to->forward(...$from->inverse($x, $y)));
                $places = $moved === null ? [] : Geometry::all($moved);
                [$xs, $ys] = [array_column($places, 0), array_column($places, 1)];
                // what this CRS can't show is left out
                if ($xs === [] || $ys === [] || ! is_finite(array_sum($xs) + array_sum($ys))) {
                    continue;
                }
                $box = [min($xs), min($ys), max($xs), max($ys)];
                $text = json_encode(
                    ['id' => $number, 'geometry' => $moved, 'properties' => (object) $properties],
                    JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_INVALID_UTF8_SUBSTITUTE | JSON_THROW_ON_ERROR,
                );
                Files::put($handle, $text, $path);
                $chunk .= pack('E4J2', ...$box, ...[$at, strlen($text)]);
                $at += strlen($text);
                $around = [min($around[0], $box[0]), min($around[1], $box[1]), max($around[2], $box[2]), max($around[3], $box[3])];
                if (strlen($chunk) === self::CHUNK * self::RECORD) {
                    [$records[], $boxes[]] = [$chunk, pack('E4', ...$around)];
                    [$chunk, $around] = ['', [INF, INF, -INF, -INF]];
                }
            }
            if ($chunk !== '') {
                [$records[], $boxes[]] = [$chunk, pack('E4', ...$around)];
            }
            foreach ([...$records, ...$boxes] as $part) {
                Files::put($handle, $part, $path);
            }
            Files::put($handle, pack('J2', $at, count($boxes)), $path);
        });
    }

    /**
     * Features that reach into a window, in the order of the file.
     *
     * @param  array{float, float, float, float}  $box  west, south, east, north
     * @param  float  $pixel  what is smaller than this, points excepted, can't be seen and is left out; corners nearer to each other are joined
     * @param  int  $most  where there are more, the largest are taken
     * @return array{inside: int, features: list<array<string, mixed>>} how many reach into it, and those that are to be drawn
     *
     * @throws Problem where the index can't be opened
     */
    public function window(array $box, float $pixel, int $most): array
    {
        $handle = @fopen($this->path, 'rb');
        if ($handle === false) {
            throw Problem::input(basename($this->path).' can\'t be opened.');
        }
        [$found, $inside] = $this->found($handle, $box, $pixel, $most);
        ksort($found);
        $features = [];
        $places = 0;
        foreach ($found as $offset => [, $length]) {
            $feature = json_decode((string) stream_get_contents($handle, $length, $offset), true, 512, JSON_THROW_ON_ERROR);
            $geometry = Geometry::thinned($feature['geometry'], $pixel / 2);
            $places += count(Geometry::all($geometry));
            if ($places > self::MOST_PLACES && $features !== []) {
                break;
            }
            $features[] = ['type' => 'Feature', 'id' => $feature['id'], 'geometry' => $geometry, 'properties' => (object) $feature['properties']];
        }
        fclose($handle);

        return ['inside' => $inside, 'features' => $features];
    }

    /**
     * @param  resource  $handle
     * @param  array{float, float, float, float}  $box
     * @return array{array<int, array{float, int}>, int} size and length by offset, and how many reach into the window
     */
    private function found($handle, array $box, float $pixel, int $most): array
    {
        [$west, $south, $east, $north] = $box;
        fseek($handle, -16, SEEK_END);
        [$start, $chunks] = array_values((array) unpack('J2', (string) fread($handle, 16)));
        $size = (fstat($handle)['size'] ?? 0) - 16 - $chunks * 32;
        $around = $chunks === 0 ? [] : array_chunk(array_values((array) unpack('E*', (string) stream_get_contents($handle, $chunks * 32, $size))), 4);
        $found = [];
        $inside = 0;
        foreach ($around as $k => [$w, $s, $e, $n]) {
            if ($w > $east || $e < $west || $s > $north || $n < $south) {
                continue;
            }
            $at = $start + $k * self::CHUNK * self::RECORD;
            $records = (string) stream_get_contents($handle, min(self::CHUNK * self::RECORD, $size - $at), $at);
            for ($i = 0, $length = strlen($records); $i < $length; $i += self::RECORD) {
                /** @var array{1: float, 2: float, 3: float, 4: float} $sides */
                $sides = unpack('E4', $records, $i);
                if ($sides[1] > $east || $sides[3] < $west || $sides[2] > $north || $sides[4] < $south) {
                    continue;
                }
                $inside++;
                $side = max($sides[3] - $sides[1], $sides[4] - $sides[2]);
                if ($side === 0.0 || $side >= $pixel) {
                    /** @var array{1: int, 2: int} $place */
                    $place = unpack('J2', $records, $i + 32);
                    $found[$place[1]] = [$side, $place[2]];
                }
            }
            if (count($found) > 4 * $most) {
                $found = self::largest($found, $most);
            }
        }

        return [self::largest($found, $most), $inside];
    }

    /**
     * @param  array<int, array{float, int}>  $found
     * @return array<int, array{float, int}>
     */
    private static function largest(array $found, int $most): array
    {
        if (count($found) <= $most) {
            return $found;
        }
        arsort($found);

        return array_slice($found, 0, $most, true);
    }
}
