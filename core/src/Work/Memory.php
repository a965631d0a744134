<?php

namespace Chorometra\Core\Work;

use Chorometra\Core\Problem;

/** What memory the machine has, and leave to use it: PHP's own limit guards against mistakes only. */
final class Memory
{
    /** Bytes that the machine can still give. */
    public static function available(): int
    {
        return preg_match('/MemAvailable:\s+(\d+)/', (string) @file_get_contents('/proc/meminfo'), $match) ? (int) $match[1] << 10 : PHP_INT_MAX;
    }

    /**
     * Makes sure that $bytes more can be had, before they are taken.
     *
     * @param  string  $what  names the work, and $advice what to do when they can't
     *
     * @throws Problem where it can't be had
     */
    public static function reserve(int $bytes, string $what, string $advice): void
    {
        $room = self::available();
        if ($bytes > $room) {
            throw Problem::computation(sprintf('%s would take up to %d MB of memory and %d MB are free: %s.', $what, $bytes >> 20, $room >> 20, $advice));
        }
        $limit = ini_parse_quantity((string) ini_get('memory_limit'));
        $wanted = memory_get_usage() + $bytes + (64 << 20);
        if ($limit > 0 && $limit < $wanted) {
            ini_set('memory_limit', (string) $wanted);
        }
    }
}
