<?php

namespace App\System;

use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Process;

/** The JIT mode that computes right; the usual ones give wrong results silently (docs/architecture.md). */
final class Jit
{
    public const MODE = '1052';

    /** One sentence when this process runs in another mode. */
    public static function problem(): ?string
    {
        $status = function_exists('opcache_get_status') ? opcache_get_status(false) : false;
        $jit = is_array($status) ? $status['jit'] : null;
        if ($jit !== null && $jit['on'] && ini_get('opcache.jit') === self::MODE && $jit['kind'] === 5 && $jit['opt_level'] === 2) {
            return null;
        }

        return sprintf(
            'PHP runs with opcache.jit=%s instead of %s: results could be slow or wrong. Start with bin/start, which sets PHP_INI_SCAN_DIR.',
            ini_get('opcache.jit') ?: 'off',
            self::MODE,
        );
    }

    /** A worker tells its own state, for the health page; those that are gone are forgotten. */
    public static function announceWorker(string $queue): void
    {
        foreach (self::files($queue) as $pid => $file) {
            Process::lives($pid) || Files::remove($file);
        }
        $folder = config()->string('chorometra.files');
        Files::write("$folder/worker-$queue-".getmypid().'.json', (string) json_encode(['pid' => getmypid(), 'problem' => self::problem()]));
    }

    /** @return array{pid: int, problem: string|null, alive: bool}|null one that works, where there is any */
    public static function worker(string $queue): ?array
    {
        $found = null;
        foreach (self::files($queue) as $pid => $file) {
            $told = json_decode((string) @file_get_contents($file), true);
            if (is_array($told) && ! ($found['alive'] ?? false)) {
                $found = ['pid' => $pid, 'problem' => $told['problem'], 'alive' => Process::lives($pid)];
            }
        }

        return $found;
    }

    /** @return array<int, string> by process: of several starts on the same files each has its own */
    private static function files(string $queue): array
    {
        $files = [];
        foreach (glob(config()->string('chorometra.files')."/worker-$queue-*.json") ?: [] as $file) {
            $files[(int) preg_replace('/.*-(\d+)\.json$/', '$1', $file)] = $file;
        }

        return $files;
    }
}
