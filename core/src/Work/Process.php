<?php

namespace Chorometra\Core\Work;

/** Other processes, and what those that are gone have left behind. */
final class Process
{
    /** Ticks of the kernel's clock in a second, as Linux tells them to programs everywhere. */
    private const TICKS = 100;

    /**
     * Whether a process works still; a zombie does not.
     *
     * @param  int|null  $since  seconds since 1970 of something that it made: one that began later has only its number
     */
    public static function lives(int $pid, ?int $since = null): bool
    {
        $stat = @file_get_contents("/proc/$pid/stat");
        if (! is_string($stat) || ! preg_match('/^\d+ \(.*\) (\w)(?: \S+){18} (\d+)/s', $stat, $match) || in_array($match[1], ['Z', 'X'], true)) {
            return false;
        }
        $boot = preg_match('/^btime (\d+)/m', (string) @file_get_contents('/proc/stat'), $told) ? (int) $told[1] : null;

        return $since === null || $boot === null || $boot + intdiv((int) $match[2], self::TICKS) <= $since + 2;
    }

    /** Tells a process from all others that have had or will have its number, whatever the clock does; null where it is not there. */
    public static function mark(int $pid): ?string
    {
        $stat = @file_get_contents("/proc/$pid/stat");
        $boot = trim((string) @file_get_contents('/proc/sys/kernel/random/boot_id'));

        return is_string($stat) && preg_match('/^\d+ \(.*\) [^ZX](?: \S+){18} (\d+)/s', $stat, $match) === 1 ? "$boot $match[1]" : null;
    }

    /** Takes away the .part files and folders, named by the process that wrote them, of those that are gone. */
    public static function sweep(string $pattern): void
    {
        foreach (glob($pattern) ?: [] as $part) {
            if (preg_match('/(?:\.|chorometra-)(\d+)(?:\.part|-[0-9a-f]{8})$/', $part, $match) && ! self::lives((int) $match[1], (int) @filemtime($part))) {
                Files::remove($part);
            }
        }
    }
}
