<?php

namespace Chorometra\Core\Work;

/** Infinite samples that this process and its workers have read so far: they are taken for nodata, and told. */
final class Infinite
{
    private static int $seen = 0;

    public static function seen(): int
    {
        return self::$seen;
    }

    public static function add(int $number): void
    {
        self::$seen += $number;
    }
}
