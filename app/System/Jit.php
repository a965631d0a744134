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

    /** A worker tells its own state, for the health page. */
    public static function announceWorker(string $queue): void
    {
        Files::write(self::file($queue), (string) json_encode(['pid' => getmypid(), 'problem' => self::problem()]));
    }

    /** @return array{pid: int, problem: string|null, alive: bool}|null */
    public static function worker(string $queue): ?array
    {
        $told = is_file(self::file($queue)) ? json_decode((string) file_get_contents(self::file($queue)), true) : null;

        return is_array($told) ? ['pid' => (int) $told['pid'], 'problem' => $told['problem'], 'alive' => Process::lives((int) $told['pid'])] : null;
    }

    private static function file(string $queue): string
    {
        return config()->string('chorometra.files')."/worker-$queue.json";
    }
}
