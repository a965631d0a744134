<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Work\Infinite;

/**
 * Raw little-endian samples to packed PHP arrays and back.
 *
 * Values are floats with NaN as nodata; codes are plain integers as stored. Whole machine words are read and cut by shifts,
 * and 8- and 16-bit samples turned into floats by a table that holds NaN at nodata: the fastest ways measured here.
 */
final class Codec
{
    private const MOST_TABLES = 32;

    /** @var array<string, list<float>> tables by type, nodata and line */
    private static array $tables = [];

    private static ?\FFI $c = null;

    /** @var list<float> */
    private static array $scales = [];

    /**
     * @param  float  $gain  and offset of the line that values are turned by: with few bits it costs nothing
     * @return list<float> NaN where a sample equals $nodata or is infinite
     */
    public static function values(string $bytes, SampleType $type, ?float $nodata, float $gain = 1.0, float $offset = 0.0): array
    {
        switch ($type) {
            case SampleType::UInt8: return self::lookup8($bytes, self::table($type, $nodata, $gain, $offset));
            case SampleType::Int8: return self::lookup8($bytes, self::table($type, $nodata, $gain, $offset));
            case SampleType::UInt16: return self::lookup16($bytes, self::table($type, $nodata, $gain, $offset));
            case SampleType::Int16: return self::lookup16($bytes, self::table($type, $nodata, $gain, $offset));
            case SampleType::Float32: $values = self::singles($bytes, intdiv(strlen($bytes), 4), self::scales());
                break;
            case SampleType::Float64: $values = self::floats($bytes, 8);
                break;
            default: $values = self::toFloats(self::codes($bytes, $type));
        }
        if ($nodata !== null && ! is_nan($nodata)) {
            self::mark($values, $nodata, count($values));
        }

        return $gain === 1.0 && $offset === 0.0 ? $values : self::linear($values, count($values), $gain, $offset);
    }

    /**
     * Samples of 8 or 16 bits, each as a table tells.
     *
     * @param  list<float>  $table  by sample as it is stored, signs left out
     * @return list<float>
     */
    public static function looked(string $bytes, SampleType $type, array $table): array
    {
        return $type->bytes() === 1 ? self::lookup8($bytes, $table) : self::lookup16($bytes, $table);
    }

    /**
     * What each sample of 8 or 16 bits stands for, for tables of that.
     *
     * @return list<float> by sample as it is stored, NaN for nodata
     */
    public static function samples(SampleType $type, ?float $nodata): array
    {
        return self::table($type, $nodata, 1.0, 0.0);
    }

    /**
     * @param  list<float>  $values  NaN nodata
     * @return list<float>
     */
    public static function linear(array $values, int $count, float $gain, float $offset): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = $gain * $values[$i] + $offset;
        }

        return $values;
    }

    /** @return list<int> samples as stored (floating-point types are cut off) */
    public static function codes(string $bytes, SampleType $type): array
    {
        return match ($type) {
            SampleType::UInt8 => self::bytes8($bytes),
            SampleType::UInt16 => self::words16($bytes),
            SampleType::UInt32 => self::words32($bytes),
            SampleType::Int8 => self::signed(self::bytes8($bytes), 0x80),
            SampleType::Int16 => self::signed(self::words16($bytes), 0x8000),
            SampleType::Int32 => self::signed(self::words32($bytes), 0x80000000),
            default => array_map(intval(...), self::floats($bytes, $type->bytes())),
        };
    }

    /**
     * Values to samples: NaN becomes nodata, and no value does. What would be stored as nodata is stored as the value beside it, on the
     * side that it comes from. Whole types are rounded and kept within their range; codes (whole numbers of PHP) are stored as they are.
     *
     * @param  list<float>|list<int>  $values
     */
    public static function encode(array $values, SampleType $type, ?float $nodata): string
    {
        if ($type->isFloat()) {
            return self::packFloats($nodata === null || is_nan($nodata) ? $values : self::apart($values, $nodata, $type), $type->bytes());
        }
        $codes = $values;
        if (is_float($values[0] ?? null)) {
            [$least, $greatest] = $type->range();
            if ($type->bytes() <= 2) {
                return self::packWhole(self::whole($values, count($values), $least, $greatest, $nodata), $type);
            }
            $codes = self::quantise($values, count($values), $least, $greatest, (int) ($nodata ?? 0.0));
            if ($nodata !== null && in_array((int) $nodata, $codes, true)) {
                $codes = self::beside($codes, $values, count($codes), (int) $nodata, (int) $least, (int) $greatest);
            }
        }

        /** @var list<int> $codes */
        return self::encodeCodes($codes, $type);
    }

    /** @param  list<int>  $codes within the type's range */
    public static function encodeCodes(array $codes, SampleType $type): string
    {
        return match ($type->bytes()) {
            1 => self::pack8($codes, count($codes)),
            2 => self::pack16($codes, count($codes)),
            default => self::pack32($codes, count($codes)),
        };
    }

    /** The bytes as little-endian words of 64 bits, the last filled up with zeros; indexed like an array. */
    public static function words(string $bytes): \FFI\CData
    {
        return self::buffer($bytes, 'int64_t', (strlen($bytes) + 7) >> 3, 8);
    }

    /** @return list<float> */
    private static function table(SampleType $type, ?float $nodata, float $gain, float $offset): array
    {
        $key = $type->value.'/'.($nodata ?? '').'/'.bin2hex(pack('E2', $gain, $offset));
        if (! isset(self::$tables[$key])) {
            // a long-lived process meets many lines
            if (count(self::$tables) >= self::MOST_TABLES) {
                self::$tables = [];
            }
            $size = $type->bytes() === 1 ? 256 : 65536;
            $half = $type->tiffFormat() === 2 ? $size >> 1 : $size;
            $table = [];
            for ($code = 0; $code < $size; $code++) {
                $table[] = $gain * ($code < $half ? $code : $code - $size) + $offset;
            }
            if ($nodata !== null && fmod($nodata, 1.0) === 0.0 && $nodata >= $type->range()[0] && $nodata <= $type->range()[1]) {
                $table[$nodata < 0 ? (int) $nodata + $size : (int) $nodata] = NAN;
            }
            self::$tables[$key] = $table;
        }

        return self::$tables[$key];
    }

    /**
     * @param  list<float>  $table
     * @return list<float>
     */
    private static function lookup16(string $bytes, array $table): array
    {
        $words = self::words($bytes);
        $number = (strlen($bytes) + 7) >> 3;
        $out = array_fill(0, $number << 2, 0.0);
        for ($k = 0, $i = 0; $k < $number; $k++, $i += 4) {
            /** @var int $word */
            $word = $words[$k];
            $out[$i] = $table[$word & 0xFFFF];
            $out[$i + 1] = $table[($word >> 16) & 0xFFFF];
            $out[$i + 2] = $table[($word >> 32) & 0xFFFF];
            $out[$i + 3] = $table[($word >> 48) & 0xFFFF];
        }

        return self::cut($out, strlen($bytes) >> 1);
    }

    /**
     * @param  list<float>  $table
     * @return list<float>
     */
    private static function lookup8(string $bytes, array $table): array
    {
        $words = self::words($bytes);
        $number = (strlen($bytes) + 7) >> 3;
        $out = array_fill(0, $number << 3, 0.0);
        for ($k = 0, $i = 0; $k < $number; $k++, $i += 8) {
            /** @var int $word */
            $word = $words[$k];
            $out[$i] = $table[$word & 255];
            $out[$i + 1] = $table[($word >> 8) & 255];
            $out[$i + 2] = $table[($word >> 16) & 255];
            $out[$i + 3] = $table[($word >> 24) & 255];
            $out[$i + 4] = $table[($word >> 32) & 255];
            $out[$i + 5] = $table[($word >> 40) & 255];
            $out[$i + 6] = $table[($word >> 48) & 255];
            $out[$i + 7] = $table[($word >> 56) & 255];
        }

        return self::cut($out, strlen($bytes));
    }

    /** @return list<int> */
    private static function bytes8(string $bytes): array
    {
        $words = self::words($bytes);
        $number = (strlen($bytes) + 7) >> 3;
        $out = array_fill(0, $number << 3, 0);
        for ($k = 0, $i = 0; $k < $number; $k++, $i += 8) {
            /** @var int $word */
            $word = $words[$k];
            $out[$i] = $word & 255;
            $out[$i + 1] = ($word >> 8) & 255;
            $out[$i + 2] = ($word >> 16) & 255;
            $out[$i + 3] = ($word >> 24) & 255;
            $out[$i + 4] = ($word >> 32) & 255;
            $out[$i + 5] = ($word >> 40) & 255;
            $out[$i + 6] = ($word >> 48) & 255;
            $out[$i + 7] = ($word >> 56) & 255;
        }

        return self::cut($out, strlen($bytes));
    }

    /** @return list<int> */
    private static function words16(string $bytes): array
    {
        $words = self::words($bytes);
        $number = (strlen($bytes) + 7) >> 3;
        $out = array_fill(0, $number << 2, 0);
        for ($k = 0, $i = 0; $k < $number; $k++, $i += 4) {
            /** @var int $word */
            $word = $words[$k];
            $out[$i] = $word & 0xFFFF;
            $out[$i + 1] = ($word >> 16) & 0xFFFF;
            $out[$i + 2] = ($word >> 32) & 0xFFFF;
            $out[$i + 3] = ($word >> 48) & 0xFFFF;
        }

        return self::cut($out, strlen($bytes) >> 1);
    }

    /** @return list<int> */
    private static function words32(string $bytes): array
    {
        $words = self::words($bytes);
        $number = (strlen($bytes) + 7) >> 3;
        $out = array_fill(0, $number << 1, 0);
        for ($k = 0, $i = 0; $k < $number; $k++, $i += 2) {
            /** @var int $word */
            $word = $words[$k];
            $out[$i] = $word & 0xFFFFFFFF;
            $out[$i + 1] = ($word >> 32) & 0xFFFFFFFF;
        }

        return self::cut($out, strlen($bytes) >> 2);
    }

    /**
     * @param  list<int>  $codes
     * @return list<int>
     */
    private static function signed(array $codes, int $half): array
    {
        $full = $half << 1;
        foreach ($codes as $index => $code) {
            if ($code >= $half) {
                $codes[$index] = $code - $full;
            }
        }

        return $codes;
    }

    /**
     * Numbers of 32 bits (IEEE 754), put together from their parts: reading them as words of two takes two thirds of the time.
     *
     * @param  list<float>  $scales  by sign and exponent
     * @return list<float> NaN for what is none, or infinite
     */
    private static function singles(string $bytes, int $count, array $scales): array
    {
        $words = self::words($bytes);
        $number = ($count + 1) >> 1;
        $out = array_fill(0, $number << 1, 0.0);
        $infinite = 0;
        for ($k = 0, $i = 0; $k < $number; $k++, $i += 2) {
            /** @var int $word */
            $word = $words[$k];
            $a = $scales[($word >> 23) & 511] * (($word & 0x7FFFFF) | 0x800000);
            $b = $scales[($word >> 55) & 511] * ((($word >> 32) & 0x7FFFFF) | 0x800000);
            // the smallest numbers have no bit before the point, and what is no number may be infinite
            if ($a === 0.0 || $a - $a !== 0.0) {
                $mantissa = $word & 0x7FFFFF;
                if ($a - $a !== 0.0) {
                    $infinite += $mantissa === 0 ? 1 : 0;
                } elseif ($mantissa > 0) {
                    $a = $scales[(($word >> 23) & 511) | 1] * $mantissa;
                }
            }
            if ($b === 0.0 || $b - $b !== 0.0) {
                $mantissa = ($word >> 32) & 0x7FFFFF;
                if ($b - $b !== 0.0) {
                    $infinite += $mantissa === 0 ? 1 : 0;
                } elseif ($mantissa > 0) {
                    $b = $scales[(($word >> 55) & 511) | 1] * $mantissa;
                }
            }
            $out[$i] = $a;
            $out[$i + 1] = $b;
        }
        Infinite::add($infinite);

        return self::cut($out, $count);
    }

    /** @return list<float> what the mantissa is multiplied by, for each sign and exponent: 0 where there is no bit before the point */
    private static function scales(): array
    {
        if (self::$scales === []) {
            for ($k = 0; $k < 512; $k++) {
                $exponent = $k & 255;
                $scale = $exponent === 255 ? NAN : ($exponent === 0 ? 0.0 : 2.0 ** ($exponent - 150));
                self::$scales[] = $k > 255 ? -$scale : $scale;
            }
        }

        return self::$scales;
    }

    /** @return list<float> */
    private static function floats(string $bytes, int $size): array
    {
        $count = intdiv(strlen($bytes), $size);
        $buffer = self::buffer($bytes, $size === 4 ? 'float' : 'double', $count, $size);
        $out = array_fill(0, $count, 0.0);
        $infinite = 0;
        for ($i = 0; $i < $count; $i++) {
            /** @var float $value */
            $value = $buffer[$i];
            if ($value - $value === 0.0) {
                $out[$i] = $value;
            } else {
                $infinite += $value === $value ? 1 : 0;
                $out[$i] = NAN;
            }
        }
        Infinite::add($infinite);

        return $out;
    }

    /** Bytes as numbers of C, read faster than what unpack() makes, which has a key of text for each. */
    private static function buffer(string $bytes, string $type, int $count, int $size): \FFI\CData
    {
        self::$c ??= \FFI::cdef();
        $buffer = self::$c->new($type.'['.max(1, $count).']');
        assert($buffer !== null);
        \FFI::memcpy($buffer, $bytes, max(0, min(strlen($bytes), $count * $size)));

        return $buffer;
    }

    /** @param  list<float>|list<int>  $values */
    private static function packFloats(array $values, int $size): string
    {
        $code = $size === 4 ? 'g*' : 'e*';
        $out = '';
        for ($p = 0, $count = count($values); $p < $count; $p += 4096) {
            $out .= pack($code, ...array_slice($values, $p, 4096));
        }

        return $out;
    }

    /**
     * @param  list<int>  $codes
     * @return list<float>
     */
    private static function toFloats(array $codes): array
    {
        $out = array_fill(0, count($codes), 0.0);
        foreach ($codes as $index => $code) {
            $out[$index] = 1.0 * $code;
        }

        return $out;
    }

    /** @param  list<float>  $values */
    private static function mark(array &$values, float $nodata, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            if ($values[$i] === $nodata) {
                $values[$i] = NAN;
            }
        }
    }

    /**
     * Values rounded (halves away from zero), kept within a range and off nodata, such that what is before the point is the sample: the
     * cast is left to pack(), which takes half the time over it.
     *
     * @param  list<float>|list<int>  $values
     * @return list<float>
     */
    private static function whole(array $values, int $count, float $least, float $greatest, ?float $nodata): array
    {
        $mark = (float) (int) ($nodata ?? 0.0);
        // all that would be stored as nodata: up to the last number before the next whole one
        $near = 1.0 - 2 ** -53;
        $from = $nodata === null ? INF : ($mark > 0.0 ? $mark : ($mark - 1.0) * $near);
        $to = $nodata === null ? -INF : ($mark < 0.0 ? $mark : ($mark + 1.0) * $near);
        $below = $mark > $least ? $mark - 1.0 : $mark + 1.0;
        $above = $mark < $greatest ? $mark + 1.0 : $mark - 1.0;
        $out = array_fill(0, $count, $mark);
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value >= $least && $value <= $greatest) {
                $sample = $value >= 0.0 ? $value + 0.5 : $value - 0.5;
            } elseif ($value > $greatest) {
                $sample = $greatest;
            } elseif ($value < $least) {
                $sample = $least;
            } else {
                continue;
            }
            $out[$i] = $sample >= $from && $sample <= $to ? ($value < $mark ? $below : $above) : $sample;
        }

        return $out;
    }

    /** @param  list<float>  $values  within the type's range once they are cut off */
    private static function packWhole(array $values, SampleType $type): string
    {
        $letter = $type->bytes() === 1 ? 'C*' : 'v*';
        $out = '';
        for ($p = 0, $count = count($values); $p < $count; $p += 4096) {
            $out .= pack($letter, ...array_slice($values, $p, 4096));
        }

        return $out;
    }

    /**
     * Rounded (halves away from zero) and kept within a range; NaN becomes nodata.
     *
     * $count values, kept within $least and $greatest; NaN becomes $nodata.
     *
     * @param  list<float>|list<int>  $values
     * @return list<int>
     */
    private static function quantise(array $values, int $count, float $least, float $greatest, int $nodata): array
    {
        $out = array_fill(0, $count, $nodata);
        for ($i = 0; $i < $count; $i++) {
            $value = 1.0 * $values[$i];
            if ($value >= $least && $value <= $greatest) {
                $out[$i] = (int) ($value >= 0.0 ? $value + 0.5 : $value - 0.5);
            } elseif ($value > $greatest) {
                $out[$i] = (int) $greatest;
            } elseif ($value < $least) {
                $out[$i] = (int) $least;
            }
        }

        return $out;
    }

    /**
     * Codes that fell on nodata, moved to the value beside it.
     *
     * $count codes between $least and $greatest, of which $nodata is none.
     *
     * @param  list<int>  $codes
     * @param  list<float>|list<int>  $values  that they come from
     * @return list<int>
     */
    private static function beside(array $codes, array $values, int $count, int $nodata, int $least, int $greatest): array
    {
        $below = $nodata > $least ? $nodata - 1 : $nodata + 1;
        $above = $nodata < $greatest ? $nodata + 1 : $nodata - 1;
        for ($i = 0; $i < $count; $i++) {
            $value = 1.0 * $values[$i];
            if ($codes[$i] === $nodata && $value === $value) {
                $codes[$i] = $value < $nodata ? $below : $above;
            }
        }

        return $codes;
    }

    /**
     * NaN turned into nodata, and values that would be stored as nodata into the next that can be told from it.
     *
     * @param  list<float>|list<int>  $values
     * @return list<float>
     */
    private static function apart(array $values, float $nodata, SampleType $type): array
    {
        // half the distance of two samples there; the least that a sample can tell from 0
        $ulp = $type === SampleType::Float32 ? max(abs($nodata) * 2 ** -23, 1.401298464324817e-45) : max(abs($nodata) * PHP_FLOAT_EPSILON, 4.9e-324);
        foreach ($values as $index => $value) {
            if ($value !== $value) {
                $values[$index] = $nodata;
            } elseif ($value - $nodata <= 0.5 * $ulp && $nodata - $value <= 0.5 * $ulp) {
                $values[$index] = $value < $nodata ? $nodata - $ulp : $nodata + $ulp;
            }
        }

        /** @var list<float> $values */
        return $values;
    }

    /** @param  list<int>  $codes */
    private static function pack8(array $codes, int $count): string
    {
        $out = '';
        $whole = $count & ~7;
        $row = array_fill(0, 512, 0);
        for ($i = 0; $i < $whole;) {
            for ($k = 0; $k < 512 && $i < $whole; $k++, $i += 8) {
                $row[$k] = ($codes[$i] & 255) | (($codes[$i + 1] & 255) << 8) | (($codes[$i + 2] & 255) << 16) | (($codes[$i + 3] & 255) << 24)
                    | (($codes[$i + 4] & 255) << 32) | (($codes[$i + 5] & 255) << 40) | (($codes[$i + 6] & 255) << 48) | (($codes[$i + 7] & 255) << 56);
            }
            $out .= $k === 512 ? pack('P*', ...$row) : pack('P*', ...array_slice($row, 0, $k));
        }

        return $whole < $count ? $out.pack('C*', ...array_map(fn (int $code): int => $code & 255, array_slice($codes, $whole))) : $out;
    }

    /** @param  list<int>  $codes */
    private static function pack16(array $codes, int $count): string
    {
        $out = '';
        $whole = $count & ~3;
        $row = array_fill(0, 1024, 0);
        for ($i = 0; $i < $whole;) {
            for ($k = 0; $k < 1024 && $i < $whole; $k++, $i += 4) {
                $row[$k] = ($codes[$i] & 0xFFFF) | (($codes[$i + 1] & 0xFFFF) << 16) | (($codes[$i + 2] & 0xFFFF) << 32) | (($codes[$i + 3] & 0xFFFF) << 48);
            }
            $out .= $k === 1024 ? pack('P*', ...$row) : pack('P*', ...array_slice($row, 0, $k));
        }

        return $whole < $count ? $out.pack('v*', ...array_slice($codes, $whole)) : $out;
    }

    /** @param  list<int>  $codes */
    private static function pack32(array $codes, int $count): string
    {
        $out = '';
        $whole = $count & ~1;
        $row = array_fill(0, 2048, 0);
        for ($i = 0; $i < $whole;) {
            for ($k = 0; $k < 2048 && $i < $whole; $k++, $i += 2) {
                $row[$k] = ($codes[$i] & 0xFFFFFFFF) | (($codes[$i + 1] & 0xFFFFFFFF) << 32);
            }
            $out .= $k === 2048 ? pack('P*', ...$row) : pack('P*', ...array_slice($row, 0, $k));
        }

        return $whole < $count ? $out.pack('V', $codes[$whole]) : $out;
    }

    /**
     * @template T
     *
     * @param  list<T>  $values
     * @return list<T>
     */
    private static function cut(array $values, int $count): array
    {
        for ($extra = count($values) - $count; $extra > 0; $extra--) {
            array_pop($values);
        }

        return $values;
    }
}
