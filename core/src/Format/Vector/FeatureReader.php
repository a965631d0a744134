<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/** A format that features are read from. */
interface FeatureReader
{
    /** Its name, within a sentence. */
    public static function format(): string;

    /** @param  string  $head  the first bytes of a file, 4096 of them where there are as many */
    public static function recognises(string $head): bool;

    /**
     * @param  string|null  $layer  where a file holds several; null for its only one
     *
     * @throws Problem where it is broken
     */
    public static function read(string $path, ?string $layer = null): FeatureSet;
}
