<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\SampleType;

/** How one directory's pixels are laid out: blocks (tiles or strips), where they are, how they are packed. */
final readonly class Layout
{
    /** A decoded block larger than this is refused: memory stays bounded whatever a file claims. */
    private const MOST_BLOCK_BYTES = 256 << 20;

    /** A picture is unpacked in several copies. */
    private const MOST_JPEG_BYTES = 48 << 20;

    /** Blocks of all levels of a file together. */
    public const MOST_BLOCKS = 2_000_000;

    private const JPEG = 7;

    /** Deflate, LZW and what the system's libraries unpack may have been made small by differences first. */
    private const PREDICTED = [5, 8, 32946, 34925, 50000];

    private const COMPRESSIONS = [
        2 => 'CCITT', 3 => 'CCITT fax 3', 4 => 'CCITT fax 4', 6 => 'old JPEG', 34712 => 'JPEG 2000', 34887 => 'LERC',
        34925 => 'LZMA', 50000 => 'ZSTD', 50001 => 'WebP', 50002 => 'JPEG XL', 34661 => 'JBIG', 32766 => 'NeXT',
    ];

    /**
     * @param  int  $bands  a complex sample counts as two: real and imaginary
     * @param  list<int>  $offsets
     * @param  list<int>  $sizes
     * @param  bool  $reversed  whether the bits of each byte lie the other way round (FillOrder 2)
     * @param  string  $jpegTables  that blocks packed as JPEG share
     */
    private function __construct(
        public int $width,
        public int $height,
        public int $bands,
        public SampleType $type,
        public int $compression,
        public int $predictor,
        public bool $separate,
        public int $blockWidth,
        public int $blockHeight,
        public bool $tiled,
        public array $offsets,
        public array $sizes,
        public bool $complex,
        public bool $reversed,
        public string $jpegTables,
    ) {}

    /**
     * @param  int  $most  blocks that it may have: their list is held in memory
     *
     * @throws Problem where samples are stored in a way that can't be read
     */
    public static function of(Directory $directory, TiffBytes $source, int $most = self::MOST_BLOCKS): self
    {
        $width = $directory->int(Tag::WIDTH, 0);
        $height = $directory->int(Tag::HEIGHT, 0);
        if ($width < 1 || $height < 1 || $width > 1 << 30 || $height > 1 << 30) {
            throw $source->broken("it claims a size of $width x $height pixels");
        }
        $bands = $directory->int(Tag::SAMPLES_PER_PIXEL, 1);
        if ($bands < 1 || $bands > 4096) {
            throw $source->broken("it claims $bands bands");
        }
        [$type, $complex] = self::type($directory, $source);
        $parts = $complex ? 2 : 1;
        $compression = $directory->int(Tag::COMPRESSION, 1);
        if (! in_array($compression, [1, 5, self::JPEG, 8, 32773, 32946], true) && ! SystemLibraries::unpacks($compression)) {
            $name = self::COMPRESSIONS[$compression] ?? "number $compression";
            $library = SystemLibraries::file($compression);
            throw Problem::input(
                "{$source->label()} is compressed with $name, which can't be read here".
                    ($library === null ? '' : " without the system's $library").
                    '; save it without compression or with Deflate, LZW or PackBits.',
            );
        }
        $predictor = $directory->int(Tag::PREDICTOR, 1);
        $applies = in_array($compression, self::PREDICTED, true);
        if ($applies && ($predictor < 1 || $predictor > 3 || ($predictor === 3 && ! $type->isFloat()))) {
            throw Problem::input("{$source->label()} uses predictor $predictor with {$type->value} samples, which can't be read here.");
        }
        if ($complex && $applies && $predictor !== 1) {
            throw Problem::input("{$source->label()} uses predictor $predictor with complex samples, which can't be read here.");
        }
        $fill = $directory->int(Tag::FILL_ORDER, 1);
        if ($fill !== 1 && $fill !== 2) {
            throw $source->broken("its bit order is not supported ($fill)");
        }
        $separate = $directory->int(Tag::PLANAR, 1) === 2 && $bands > 1;
        if ($compression === self::JPEG) {
            self::isPlainJpeg($directory, $source, $type, $separate ? 1 : $bands);
        }
        $tiled = $directory->has(Tag::TILE_WIDTH) || $directory->has(Tag::TILE_OFFSETS);
        $blockWidth = $tiled ? $directory->int(Tag::TILE_WIDTH, 0) : $width;
        $blockHeight = $tiled ? $directory->int(Tag::TILE_HEIGHT, 0) : min($height, max(1, $directory->int(Tag::ROWS_PER_STRIP, $height)));
        if ($blockWidth < 1 || $blockHeight < 1 || $blockWidth > 1 << 30 || $blockHeight > 1 << 30) {
            throw $source->broken("it claims tiles of $blockWidth x $blockHeight pixels");
        }
        $across = intdiv($width + $blockWidth - 1, $blockWidth);
        $down = intdiv($height + $blockHeight - 1, $blockHeight);
        $count = $across * $down * ($separate ? $bands : 1);
        if ($count > $most) {
            throw $source->broken("it declares $count blocks of pixels, more than plausible");
        }
        $offsets = $directory->ints($tiled ? Tag::TILE_OFFSETS : Tag::STRIP_OFFSETS, $count);
        $sizes = $directory->ints($tiled ? Tag::TILE_BYTE_COUNTS : Tag::STRIP_BYTE_COUNTS, $count);
        if (count($offsets) !== $count) {
            throw $source->broken(sprintf('it lists %d blocks of pixels where %d are needed', count($offsets), $count));
        }
        $samples = ($separate ? 1 : $bands) * $parts;
        $rowBytes = $blockWidth * $samples * $type->bytes();
        if ($sizes === [] && $compression === 1) {
            $sizes = array_fill(0, $count, $rowBytes * $blockHeight);
        }
        if (count($sizes) !== $count) {
            throw $source->broken(sprintf('it lists the sizes of %d blocks of pixels where %d are needed', count($sizes), $count));
        }
        // an uncompressed strip of many rows is read as several of few
        if (! $tiled && $compression === 1 && $rowBytes * $blockHeight > 1 << 22) {
            [$blockHeight, $offsets, $sizes] = self::cut(
                $height,
                $blockHeight,
                max(1, intdiv(1 << 22, $rowBytes)),
                $rowBytes,
                $separate ? $bands : 1,
                $offsets,
                $source,
            );
        }
        if ($rowBytes * $blockHeight > ($compression === self::JPEG ? self::MOST_JPEG_BYTES : self::MOST_BLOCK_BYTES)) {
            throw Problem::input(
                sprintf('%s has blocks of %d MB each, more than fits in memory safely; save it tiled.', $source->label(), ($rowBytes * $blockHeight) >> 20),
            );
        }

        return new self(
            $width,
            $height,
            $bands * $parts,
            $type,
            $compression,
            $applies ? $predictor : 1,
            $separate,
            $blockWidth,
            $blockHeight,
            $tiled,
            $offsets,
            $sizes,
            $complex,
            $fill === 2,
            $compression === self::JPEG ? $directory->bytes(Tag::JPEG_TABLES, 1 << 16) : '',
        );
    }

    public function blocksAcross(): int
    {
        return intdiv($this->width + $this->blockWidth - 1, $this->blockWidth);
    }

    public function blocksDown(): int
    {
        return intdiv($this->height + $this->blockHeight - 1, $this->blockHeight);
    }

    public function samplesPerBlock(): int
    {
        return $this->separate ? ($this->complex ? 2 : 1) : $this->bands;
    }

    public function blockIndex(int $band, int $across, int $down): int
    {
        return ($this->separate ? ($this->complex ? $band >> 1 : $band) * $this->blocksAcross() * $this->blocksDown() : 0) +
            $down * $this->blocksAcross() +
            $across;
    }

    /** In which row of blocks the block of an index lies. */
    public function blockRow(int $index): int
    {
        return intdiv($index % ($this->blocksAcross() * $this->blocksDown()), $this->blocksAcross());
    }

    /** Which of the samples in its block is a band's. */
    public function sample(int $band): int
    {
        return $this->separate ? ($this->complex ? $band & 1 : 0) : $band;
    }

    /**
     * $height rows of $rowBytes and $planes in strips of $old rows each, to strips of $new.
     *
     * @param  list<int>  $offsets
     * @return array{int, list<int>, list<int>}
     */
    private static function cut(int $height, int $old, int $new, int $rowBytes, int $planes, array $offsets, TiffBytes $source): array
    {
        $strips = intdiv($height + $old - 1, $old);
        // only whole divisors keep the rows of every strip together
        while ($old % $new !== 0 && $strips > 1) {
            $new--;
        }
        if (intdiv($height, $new) * $planes > self::MOST_BLOCKS) {
            throw $source->broken('it claims more rows than can be');
        }
        $starts = [];
        $sizes = [];
        for ($plane = 0; $plane < $planes; $plane++) {
            for ($row = 0; $row < $height; $row += $new) {
                $starts[] = $offsets[$plane * $strips + intdiv($row, $old)] + ($row % $old) * $rowBytes;
                $sizes[] = min($new, $height - $row) * $rowBytes;
            }
        }

        return [$new, $starts, $sizes];
    }

    /** Grey and colours of 8 bits are what a JPEG tells beyond doubt. */
    private static function isPlainJpeg(Directory $directory, TiffBytes $source, SampleType $type, int $samples): void
    {
        $colours = $directory->int(Tag::PHOTOMETRIC, 1);
        if ($type !== SampleType::UInt8 || ! (($samples === 1 && $colours < 2) || ($samples === 3 && ($colours === 2 || $colours === 6)))) {
            throw Problem::input(
                "{$source->label()} is compressed with JPEG as $samples samples of {$type->value} in a pixel, which can't be read here; save it "
                    .'without compression or with Deflate.',
            );
        }
    }

    /** @return array{SampleType, bool} what is stored, and whether two of them make a complex sample */
    private static function type(Directory $directory, TiffBytes $source): array
    {
        $bits = array_values(array_unique($directory->ints(Tag::BITS_PER_SAMPLE, 4096) ?: [1]));
        $formats = array_values(array_unique($directory->ints(Tag::SAMPLE_FORMAT, 4096) ?: [1]));
        if (count($bits) > 1 || count($formats) > 1) {
            throw Problem::input("{$source->label()} has bands of different sample types, which can't be read here; save them as separate files.");
        }
        if ($directory->int(Tag::PHOTOMETRIC, 1) === 6 && $directory->int(Tag::COMPRESSION, 1) !== self::JPEG) {
            throw Problem::input("{$source->label()} holds YCbCr colours, which can't be read here; save it as RGB.");
        }
        $key = "{$bits[0]}/".($formats[0] === 4 ? 1 : $formats[0]);

        return match ($key) {
            '8/1' => [SampleType::UInt8, false],
            '8/2' => [SampleType::Int8, false],
            '16/1' => [SampleType::UInt16, false],
            '16/2' => [SampleType::Int16, false],
            '32/1' => [SampleType::UInt32, false],
            '32/2' => [SampleType::Int32, false],
            '32/3' => [SampleType::Float32, false],
            '64/3' => [SampleType::Float64, false],
            '32/5' => [SampleType::Int16, true],
            '64/5' => [SampleType::Int32, true],
            '64/6' => [SampleType::Float32, true],
            '128/6' => [SampleType::Float64, true],
            default => throw Problem::input(
                sprintf(
                    '%s has samples of %d bits (%s), which can\'t be read here; 8, 16 and 32-bit integers, 32 and 64-bit floats, and complex ones of '
                        .'these can.',
                    $source->label(),
                    $bits[0],
                    [1 => 'unsigned', 2 => 'signed', 3 => 'floating point', 5 => 'complex integer', 6 => 'complex'][$formats[0]] ?? "format {$formats[0]}",
                ),
            ),
        };
    }
}
