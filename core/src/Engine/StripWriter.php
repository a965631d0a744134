<?php

namespace Chorometra\Core\Engine;

use Chorometra\Core\Format\Deflate;
use Chorometra\Core\Format\GeoTiff\GeoTiffWriter;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Work\Files;

/**
 * Takes one output's pixels row by row, packs full-resolution tiles into a part file of this process, and lays the reduced
 * rows of each overview level into a raw file shared by all workers, from which the overviews' tiles are cut at the end.
 */
final class StripWriter
{
    private const TILE = GeoTiffWriter::TILE;

    /** @var list<array{int, int}> width and height of each level, full resolution first */
    private array $levels;

    /** @var resource|null */
    private $part = null;

    private string $file = '';

    private int $end = 0;

    /** @var list<int> */
    private array $index = [];

    /** @var array<int, string> rows of the strip, by band */
    private array $rows = [];

    /** @var array<int, array<int, int>> rows of the strip that went into a level, by level and band */
    private array $taken = [];

    /** @var array<int, array<int, list<float>|list<int>>> an odd row that waits for its pair, by level and band */
    private array $held = [];

    private int $strip = 0;

    /** @var array<int, resource> */
    private array $raw = [];

    /** @var array<int, resource> the same, to be read */
    private array $laid = [];

    /** @var array<int, self> by level of overview */
    private array $reduced = [];

    /** @param  \Closure(int, int, int): ?string|null  $stored  tiles that lie packed elsewhere, by band, column and row */
    public function __construct(
        private readonly RasterSpec $spec,
        private readonly string $stem,
        private readonly bool $deflate,
        private readonly ?\Closure $stored = null,
    ) {
        $size = [$spec->grid->width, $spec->grid->height];
        $this->levels = [$size];
        // a row of tiles reduces to whole rows eight times
        while (max($size) > self::TILE && count($this->levels) <= 8) {
            $size = [($size[0] + 1) >> 1, ($size[1] + 1) >> 1];
            $this->levels[] = $size;
        }
    }

    public function tiles(int $level): int
    {
        [$width, $height] = $this->levels[$level];

        return $this->across($width) * $this->across($height) * count($this->spec->bands);
    }

    public function begin(int $strip): void
    {
        $this->strip = $strip;
        $this->rows = array_fill(0, count($this->spec->bands), '');
        $this->taken = [];
        $this->held = [];
    }

    /** @param  list<float>|list<int>|string  $values  a string holds raw samples, of segments and classes */
    public function put(int $band, array|string $values, int $rows): void
    {
        if ($this->spec->content === Content::Segments) {
            $bytes = is_string($values) ? $values : $this->bytes($values);
            $this->rows[$band] .= $bytes;
            $this->thin($band, $bytes, $rows);

            return;
        }
        $codes = $this->spec->content !== Content::Image;
        if ($this->stored === null) {
            $this->rows[$band] .= is_string($values) ? $values : $this->bytes($values);
        }
        if (is_string($values)) {
            if (count($this->levels) === 1) {
                return;
            }
            $values = Codec::codes($values, $this->spec->type);
        }
        for ($level = 1, $count = count($this->levels); $level < $count; $level++) {
            [$width, $height] = $this->levels[$level - 1];
            $seen = ($this->taken[$level][$band] ?? 0) + $rows;
            $this->taken[$level][$band] = $seen;
            if (isset($this->held[$level][$band])) {
                $values = array_merge($this->held[$level][$band], $values);
                $rows++;
                unset($this->held[$level][$band]);
            }
            $first = $this->strip * (self::TILE >> ($level - 1)) + $seen - $rows;
            // an odd row waits for the next block, but for the image's last
            if (($rows & 1) === 1 && $first + $rows < $height) {
                $rows--;
                $this->held[$level][$band] = array_slice($values, $rows * $width);
                $values = array_slice($values, 0, $rows * $width);
            }
            if ($rows < 1) {
                return;
            }
            $values = $codes ? Reduce::mode($values, $width, $rows) : Reduce::mean($values, $width, $rows);
            $rows = ($rows + 1) >> 1;
            $this->lay($level, $band, $first >> 1, $this->bytes($values));
        }
    }

    /** Overviews of segments: every second pixel of every second row, since numbers can't be mixed, and those beside it are as good. */
    private function thin(int $band, string $bytes, int $rows): void
    {
        for ($level = 1, $count = count($this->levels); $level < $count && $rows > 0; $level++) {
            $row = $this->levels[$level - 1][0] * $this->spec->type->bytes();
            $first = $this->strip * (self::TILE >> ($level - 1)) + ($this->taken[$level][$band] ?? 0);
            $this->taken[$level][$band] = ($this->taken[$level][$band] ?? 0) + $rows;
            $kept = '';
            for ($k = $first & 1; $k < $rows; $k += 2) {
                $kept .= Reduce::nearest(substr($bytes, $k * $row, $row), $this->spec->type);
            }
            $rows = ($rows - ($first & 1) + 1) >> 1;
            $bytes = $kept;
            if ($rows > 0) {
                $this->lay($level, $band, ($first + 1) >> 1, $bytes);
            }
        }
    }

    public function end(): void
    {
        $size = $this->spec->type->bytes();
        $width = $this->spec->grid->width;
        $across = $this->across($width);
        $perBand = $across * $this->across($this->spec->grid->height);
        foreach ($this->rows as $band => $bytes) {
            if ($this->stored !== null && $this->spec->content !== Content::Segments) {
                for ($column = 0; $column < $across; $column++) {
                    $this->keep(
                        $band * $perBand + $this->strip * $across + $column,
                        ($this->stored)($band, $column, $this->strip) ?? Deflate::pack(str_repeat($this->padding(), self::TILE * self::TILE)),
                    );
                }

                continue;
            }
            foreach (self::cut($bytes, $width, $size, $this->padding()) as $column => $tile) {
                $this->store($band * $perBand + $this->strip * $across + $column, $tile);
            }
        }
        $this->rows = [];
    }

    /** @return array{file: string, index: list<int>} */
    public function finish(): array
    {
        foreach ([$this->part, ...$this->raw] as $handle) {
            if ($handle !== null && ! fflush($handle)) {
                throw Files::full($this->stem);
            }
        }

        return ['file' => $this->file, 'index' => $this->index];
    }

    /** @return list<array{int, int}> width and height of each overview */
    public function overviews(): array
    {
        return array_slice($this->levels, 1);
    }

    /** @return list<array{int, int, int}> level, band and row of tiles of all that packOverview() can make */
    public function overviewRows(): array
    {
        $rows = [];
        foreach ($this->overviews() as $index => [, $height]) {
            foreach (array_keys($this->spec->bands) as $band) {
                for ($row = 0; $row < $this->across($height); $row++) {
                    $rows[] = [$index + 1, $band, $row];
                }
            }
        }

        return $rows;
    }

    /** Packs a row of tiles of an overview, once all workers have laid its pixels down. */
    public function packOverview(int $level, int $band, int $row): void
    {
        [$width, $height] = $this->levels[$level];
        $size = $this->spec->type->bytes();
        $this->reduced[$level] ??= new self($this->spec, "$this->stem.overview$level", $this->deflate);
        $this->laid[$level] ??= fopen($this->rawPath($level), 'rb') ?: throw Files::full($this->stem);
        fseek($this->laid[$level], ($band * $height + $row * self::TILE) * $width * $size);
        $bytes = (string) stream_get_contents($this->laid[$level], min(self::TILE, $height - $row * self::TILE) * $width * $size);
        foreach (self::cut($bytes, $width, $size, $this->padding()) as $column => $tile) {
            $this->reduced[$level]->store(($band * $this->across($height) + $row) * $this->across($width) + $column, $tile);
        }
    }

    /** @return array<int, array{file: string, index: list<int>}> what this process packed, by level */
    public function finishOverviews(): array
    {
        return array_map(fn (self $writer): array => $writer->finish(), $this->reduced);
    }

    private function lay(int $level, int $band, int $row, string $bytes): void
    {
        $this->raw[$level] ??= fopen($this->rawPath($level), 'cb') ?: throw Files::full($this->stem);
        [$width, $height] = $this->levels[$level];
        fseek($this->raw[$level], ($band * $height + $row) * $width * $this->spec->type->bytes());
        Files::put($this->raw[$level], $bytes, $this->stem);
    }

    /** @param  list<float>|list<int>  $values */
    private function bytes(array $values): string
    {
        return $this->spec->content !== Content::Image
            ? Codec::encodeCodes($values, $this->spec->type)
            : Codec::encode($values, $this->spec->type, $this->spec->nodata);
    }

    private function store(int $number, string $tile): void
    {
        $this->keep($number, $this->deflate ? Deflate::pack($tile) : $tile);
    }

    private function keep(int $number, string $packed): void
    {
        if ($this->part === null) {
            $this->file = $this->stem.'.'.getmypid().'.tiles';
            $this->part = fopen($this->file, 'wb') ?: throw Files::full($this->file);
        }
        Files::put($this->part, $packed, $this->file);
        array_push($this->index, $number, $this->end, strlen($packed));
        $this->end += strlen($packed);
    }

    /**
     * Rows of pixels to tiles, filled up with nodata at the right and lower edges.
     *
     * @return list<string>
     */
    private static function cut(string $bytes, int $width, int $size, string $padding): array
    {
        $rowBytes = $width * $size;
        $rows = intdiv(strlen($bytes), $rowBytes);
        $tileBytes = self::TILE * $size;
        $blank = str_repeat($padding, self::TILE);
        $tiles = [];
        for ($left = 0; $left < $rowBytes; $left += $tileBytes) {
            $length = min($tileBytes, $rowBytes - $left);
            $fill = $length < $tileBytes ? substr($blank, $length) : '';
            $tile = '';
            for ($p = $left, $end = $rows * $rowBytes; $p < $end; $p += $rowBytes) {
                $tile .= substr($bytes, $p, $length).$fill;
            }
            $tiles[] = $tile.str_repeat($blank, self::TILE - $rows);
        }

        return $tiles;
    }

    private function padding(): string
    {
        $nodata = $this->spec->nodata ?? 0.0;

        return $this->spec->type->isFloat() ? Codec::encode([$nodata], $this->spec->type, null) : Codec::encodeCodes([(int) $nodata], $this->spec->type);
    }

    private function across(int $pixels): int
    {
        return intdiv($pixels + self::TILE - 1, self::TILE);
    }

    private function rawPath(int $level): string
    {
        return "$this->stem.$level.raw";
    }
}
