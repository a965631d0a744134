<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Format\RasterReader;
use Chorometra\Core\Format\Stac\Sidecar;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;

/**
 * A GeoTIFF file read by windows.
 *
 * Classic and BigTIFF, both byte orders, strips and tiles, chunky and separate bands; uncompressed, PackBits, LZW, Deflate, ZSTD, LZMA and JPEG;
 * horizontal and floating-point predictors; reduced images as overviews. What roles, legend and date the sidecar tells are taken on.
 * Whatever the file claims, no more memory is used than one decoded block and a cache of CACHE_BYTES.
 */
final class GeoTiffImage implements Image, RasterReader
{
    private const CACHE_BYTES = 96 << 20;

    /** Beyond this, blocks above the rows that are being read are let go. */
    private const KEPT_BYTES = 12 << 20;

    private TiffBytes $source;

    /** @var list<Layout> full resolution first */
    private array $layouts = [];

    private RasterSpec $spec;

    private bool $bigEndian;

    /** @var array<string, list<string>> decoded blocks, one string per band, least recently used first */
    private array $cache = [];

    private int $cached = 0;

    /** The row of blocks that was read from last. */
    private int $top = 0;

    private int $process;

    public function __construct(string $path)
    {
        $this->source = new TiffBytes($path);
        $this->process = (int) getmypid();
        ['bigEndian' => $this->bigEndian, 'directories' => $directories] = Directory::all($this->source);
        $main = $directories[0];
        $this->layouts[] = Layout::of($main, $this->source);
        $full = $this->layouts[0];
        $left = Layout::MOST_BLOCKS - count($full->offsets);
        foreach (array_slice($directories, 1) as $directory) {
            // what is no smaller than the level before is none of its overviews
            if (($directory->int(Tag::NEW_SUBFILE_TYPE, 0) & 5) === 1 && $directory->int(Tag::WIDTH, 0) < end($this->layouts)->width) {
                $layout = Layout::of($directory, $this->source, $left);
                $left -= count($layout->offsets);
                if ($layout->bands === $full->bands && $layout->type === $full->type) {
                    $this->layouts[] = $layout;
                }
            }
        }
        $this->spec = $this->describe($main, $full);
    }

    public static function format(string $head): ?string
    {
        return preg_match('/^(II\x2a\0|MM\0\x2a|II\x2b\0|MM\0\x2b)/', $head) === 1 ? 'GeoTIFF' : null;
    }

    public static function described(string $path): RasterSpec
    {
        return (new self($path))->spec();
    }

    public static function open(string $path): self
    {
        return new self($path);
    }

    public function spec(): RasterSpec
    {
        return $this->spec;
    }

    public function name(): string
    {
        return $this->source->label();
    }

    public function path(): string
    {
        return $this->source->path;
    }

    public function levels(): array
    {
        return array_map(fn (Layout $layout): array => [$layout->width, $layout->height], $this->layouts);
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        $layout = $this->layouts[$level];
        $size = $layout->type->bytes();
        $firstAcross = intdiv($window->col, $layout->blockWidth);
        $lastAcross = intdiv($window->col + $window->width - 1, $layout->blockWidth);
        $firstDown = intdiv($window->row, $layout->blockHeight);
        $lastDown = intdiv($window->row + $window->height - 1, $layout->blockHeight);
        $this->leave($level, $firstDown);
        $out = '';
        for ($down = $firstDown; $down <= $lastDown; $down++) {
            $top = $down * $layout->blockHeight;
            $from = max($window->row, $top) - $top;
            $to = min($window->row + $window->height, $top + $layout->blockHeight) - $top;
            $pieces = [];
            for ($across = $firstAcross; $across <= $lastAcross; $across++) {
                $left = $across * $layout->blockWidth;
                $start = max($window->col, $left) - $left;
                $end = min($window->col + $window->width, $left + $layout->blockWidth) - $left;
                $pieces[] = [$this->block($level, $band, $across, $down), $start * $size, ($end - $start) * $size];
            }
            $stride = $layout->blockWidth * $size;
            if (count($pieces) === 1 && $pieces[0][2] === $stride) {
                $out .= substr($pieces[0][0], $from * $stride, ($to - $from) * $stride);
            } else {
                for ($row = $from; $row < $to; $row++) {
                    foreach ($pieces as [$bytes, $start, $length]) {
                        $out .= substr($bytes, $row * $stride + $start, $length);
                    }
                }
            }
        }

        return $out;
    }

    /** Most go through an image from top to bottom: what lies above is not asked for again. */
    private function leave(int $level, int $down): void
    {
        if ($down === $this->top) {
            return;
        }
        $this->top = $down;
        if ($this->cached > self::KEPT_BYTES) {
            foreach ($this->cache as $key => $decoded) {
                [$at, $index] = explode('/', $key);
                if ((int) $at === $level && $this->layouts[$level]->blockRow((int) $index) < $down) {
                    $this->cached -= strlen($decoded[0]) * count($decoded);
                    unset($this->cache[$key]);
                }
            }
        }
    }

    /** One band of a block, decoded: whole rows of the block's width, little-endian. */
    private function block(int $level, int $band, int $across, int $down): string
    {
        $layout = $this->layouts[$level];
        $index = $layout->blockIndex($band, $across, $down);
        $key = "$level/$index";
        if (isset($this->cache[$key])) {
            $found = $this->cache[$key];
            unset($this->cache[$key]);
            $this->cache[$key] = $found;

            return $found[$layout->sample($band)];
        }
        $decoded = $this->decode($layout, $index, $across, $down);
        $this->cache[$key] = $decoded;
        $this->cached += strlen($decoded[0]) * count($decoded);
        while ($this->cached > self::CACHE_BYTES && count($this->cache) > 1) {
            $oldest = array_key_first($this->cache);
            $this->cached -= strlen($this->cache[$oldest][0]) * count($this->cache[$oldest]);
            unset($this->cache[$oldest]);
        }

        return $decoded[$layout->sample($band)];
    }

    /** @return list<string> one string per band of the block */
    private function decode(Layout $layout, int $index, int $across, int $down): array
    {
        if ($this->process !== getmypid()) {
            $this->source->reopen();
            $this->process = (int) getmypid();
        }
        $samples = $layout->samplesPerBlock();
        $size = $layout->type->bytes();
        $rowBytes = $layout->blockWidth * $samples * $size;
        // strips at the lower edge may hold fewer rows
        $rows = $layout->tiled ? $layout->blockHeight : min($layout->blockHeight, $layout->height - $down * $layout->blockHeight);
        $expected = $rowBytes * $rows;
        $what = $this->place($layout, $index, $across * $layout->blockWidth, $down * $layout->blockHeight);
        if ($layout->sizes[$index] === 0) {
            $nodata = $this->spec->nodata ?? 0.0;
            $one = Codec::encode([$nodata], $layout->type, is_nan($nodata) ? null : $nodata);

            return array_fill(0, $samples, str_repeat($one, $layout->blockWidth * $layout->blockHeight));
        }
        $bytes = $this->source->bytes($layout->offsets[$index], $layout->sizes[$index], $what);
        $bytes = $layout->reversed ? Unpack::reversed($bytes) : $bytes;
        $most = $rowBytes * $layout->blockHeight;
        $plain = match ($layout->compression) {
            1 => $bytes,
            5 => Unpack::lzw($bytes, $most),
            7 => Jpeg::unpack($bytes, $layout->jpegTables, $samples, $layout->blockWidth, $rows),
            34925, 50000 => SystemLibraries::unpack($layout->compression, $bytes, $most),
            32773 => Unpack::packBits($bytes, $most),
            default => Unpack::deflate($bytes, $most),
        };
        if ($plain === null || strlen($plain) < $expected) {
            throw $this->source->broken("$what can't be unpacked");
        }
        $plain = strlen($plain) > $expected ? substr($plain, 0, $expected) : $plain;
        if ($layout->predictor === 3) {
            $plain = Predictor::floatingPoint($plain, $size, $layout->blockWidth * $samples, $samples);
        } else {
            $plain = $this->bigEndian && $size > 1 ? self::swap($plain, $size) : $plain;
            if ($layout->predictor === 2) {
                $plain = Predictor::horizontal($plain, $size, $layout->blockWidth * $samples, $samples);
            }
        }

        return $samples === 1 ? [$plain] : self::separate($plain, $size, $samples);
    }

    /** Which block, and where it lies: for messages. */
    private function place(Layout $layout, int $index, int $col, int $row): string
    {
        $what = sprintf('%s %d (pixels from row %d, column %d', $layout->tiled ? 'tile' : 'strip', $index, $row, $col);
        $grid = $this->spec->grid;
        if ($layout !== $this->layouts[0] || ! $grid->isReferenced()) {
            return "$what)";
        }
        [$x, $y] = $grid->toMap($col, $row);

        return sprintf('%s; on the map from %s, %s)', $what, round($x, 6), round($y, 6));
    }

    private static function swap(string $bytes, int $size): string
    {
        $out = '';
        for ($p = 0, $length = strlen($bytes); $p < $length; $p += 32768) {
            $piece = substr($bytes, $p, 32768);
            $out .= $size === 8 ? pack('P*', ...(array) unpack('J*', $piece)) : substr(pack('P*', ...self::swapped($piece, $size)), 0, strlen($piece));
        }

        return $out;
    }

    /** @return list<int> words of 64 bits, the bytes of each sample of 16 or 32 bits in them turned round */
    private static function swapped(string $bytes, int $size): array
    {
        $words = Codec::words($bytes);
        $number = (strlen($bytes) + 7) >> 3;
        $out = array_fill(0, $number, 0);
        for ($k = 0; $k < $number; $k++) {
            /** @var int $word */
            $word = $words[$k];
            $word = (($word & 0x00FF00FF00FF00FF) << 8) | (($word >> 8) & 0x00FF00FF00FF00FF);
            if ($size === 4) {
                $word = (($word & 0x0000FFFF0000FFFF) << 16) | (($word >> 16) & 0x0000FFFF0000FFFF);
            }
            $out[$k] = $word;
        }

        return $out;
    }

    /** @return list<string> */
    private static function separate(string $bytes, int $size, int $samples): array
    {
        $type = [1 => SampleType::UInt8, 2 => SampleType::UInt16, 4 => SampleType::UInt32][$size] ?? null;
        $out = array_fill(0, $samples, '');
        $piece = max(1, intdiv(1 << 16, $samples)) * $samples * $size;
        for ($p = 0, $length = strlen($bytes); $p < $length; $p += $piece) {
            $some = substr($bytes, $p, $piece);
            $values = $type === null ? array_values((array) unpack('P*', $some)) : Codec::codes($some, $type);
            for ($sample = 0; $sample < $samples; $sample++) {
                $own = self::every($values, $sample, $samples);
                $out[$sample] .= $type === null ? pack('P*', ...$own) : Codec::encodeCodes($own, $type);
            }
        }

        return array_values($out);
    }

    /**
     * @param  list<int>  $values
     * @return list<int>
     */
    private static function every(array $values, int $first, int $stride): array
    {
        $out = [];
        for ($i = $first, $count = count($values); $i < $count; $i += $stride) {
            $out[] = $values[$i];
        }

        return $out;
    }

    private function describe(Directory $main, Layout $full): RasterSpec
    {
        $nodata = self::nodata($main->has(Tag::NODATA) ? $main->text(Tag::NODATA) : '', $full->type);
        $plain = new RasterSpec(
            GeoReference::grid($main, $this->source, $full->width, $full->height),
            $full->complex
                ? array_map(fn (int $band): Band => new Band(part: $band % 2 === 0 ? 'real' : 'imaginary'), range(0, $full->bands - 1))
                : array_fill(0, $full->bands, new Band()),
            $full->type,
            $nodata,
            $main->has(Tag::COLOUR_MAP) && $full->bands === 1 ? Content::Classes : Content::Image,
            $main->has(Tag::COLOUR_MAP) ? self::legend($main->ints(Tag::COLOUR_MAP, 3 << 16)) : null,
        );

        return Sidecar::read($this->source->path, $plain);
    }

    private static function nodata(string $text, SampleType $type): ?float
    {
        $text = trim($text);
        if (strtolower($text) === 'nan') {
            return $type->isFloat() ? NAN : null;
        }
        if (! is_numeric($text)) {
            return null;
        }
        $nodata = (float) $text;
        // many programs write the end of a float type with six digits: the samples are that end itself, not what is nearest to the text
        $digits = strlen((string) preg_replace('/e.*$|\D/i', '', $text));
        foreach ($type->isFloat() && $digits > 1 ? [SampleType::Float32, SampleType::Float64] : [] as $float) {
            $end = $float->range()[1];
            if ((float) sprintf('%.'.($digits - 1).'e', $end) === abs($nodata)) {
                $nodata = $nodata < 0 ? -$end : $end;
            }
        }
        $nodata = $type === SampleType::Float32 ? ((array) unpack('g', pack('g', $nodata)))[1] : $nodata;

        // what is infinite is nodata anyway
        return is_finite($nodata) ? $nodata : null;
    }

    /** @param  list<int>  $map all reds, all greens, all blues, 0 to 65535 */
    private static function legend(array $map): Legend
    {
        $size = intdiv(count($map), 3);
        $classes = [];
        for ($code = 1; $code < $size; $code++) {
            [$red, $green, $blue] = [$map[$code] >> 8, $map[$size + $code] >> 8, $map[2 * $size + $code] >> 8];
            if ($red + $green + $blue > 0) {
                $classes[$code] = ['name' => "class $code", 'colour' => sprintf('#%02x%02x%02x', $red, $green, $blue)];
            }
        }

        return new Legend($classes);
    }
}
