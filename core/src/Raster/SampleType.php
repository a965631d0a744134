<?php

namespace Chorometra\Core\Raster;

/** What one sample of a raster is stored as. */
enum SampleType: string
{
    case UInt8 = 'UInt8';
    case Int8 = 'Int8';
    case UInt16 = 'UInt16';
    case Int16 = 'Int16';
    case UInt32 = 'UInt32';
    case Int32 = 'Int32';
    case Float32 = 'Float32';
    case Float64 = 'Float64';

    public function bytes(): int
    {
        return match ($this) {
            self::UInt8, self::Int8 => 1,
            self::UInt16, self::Int16 => 2,
            self::UInt32, self::Int32, self::Float32 => 4,
            self::Float64 => 8,
        };
    }

    public function isFloat(): bool
    {
        return $this === self::Float32 || $this === self::Float64;
    }

    /** TIFF's SampleFormat: 1 unsigned, 2 signed, 3 floating point. */
    public function tiffFormat(): int
    {
        return match ($this) {
            self::UInt8, self::UInt16, self::UInt32 => 1,
            self::Int8, self::Int16, self::Int32 => 2,
            self::Float32, self::Float64 => 3,
        };
    }

    /** STAC's name in the raster extension. */
    public function stacName(): string
    {
        return strtolower($this->value);
    }

    /** @return array{float, float} the least and the greatest value */
    public function range(): array
    {
        return match ($this) {
            self::UInt8 => [0.0, 255.0],
            self::Int8 => [-128.0, 127.0],
            self::UInt16 => [0.0, 65535.0],
            self::Int16 => [-32768.0, 32767.0],
            self::UInt32 => [0.0, 4294967295.0],
            self::Int32 => [-2147483648.0, 2147483647.0],
            self::Float32 => [-3.4028234663852886e38, 3.4028234663852886e38],
            self::Float64 => [-PHP_FLOAT_MAX, PHP_FLOAT_MAX],
        };
    }
}
