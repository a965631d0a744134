<?php

namespace Tests\Feature;

use App\Database\ImmediatePdo;
use PHPUnit\Framework\TestCase;

class DatabaseTest extends TestCase
{
    public function test_a_transaction_that_reads_first_may_write_while_another_process_writes(): void
    {
        $path = tempnam(sys_get_temp_dir(), 'chorometra-test-');
        $connect = function () use ($path): ImmediatePdo {
            $pdo = new ImmediatePdo("sqlite:$path", options: [\PDO::ATTR_ERRMODE => \PDO::ERRMODE_EXCEPTION]);
            $pdo->exec('PRAGMA busy_timeout = 20000');

            return $pdo;
        };
        $setUp = $connect();
        $setUp->exec('PRAGMA journal_mode = WAL');
        $setUp->exec('CREATE TABLE sums (value INTEGER)');
        $setUp->exec('INSERT INTO sums VALUES (0)');
        unset($setUp);
        $children = [];
        for ($worker = 0; $worker < 4; $worker++) {
            $pid = pcntl_fork();
            if ($pid === 0) {
                $pdo = $connect();
                for ($i = 0; $i < 100; $i++) {
                    $pdo->beginTransaction();
                    $value = (int) $pdo->query('SELECT value FROM sums')->fetchColumn();
                    $pdo->exec('UPDATE sums SET value = '.($value + 1));
                    $pdo->commit();
                }
                posix_kill(posix_getpid(), SIGKILL);
            }
            $children[] = $pid;
        }
        foreach ($children as $pid) {
            pcntl_waitpid($pid, $status);
        }
        $pdo = $connect();
        self::assertSame(400, (int) $pdo->query('SELECT value FROM sums')->fetchColumn());
        $pdo->beginTransaction();
        self::assertTrue($pdo->inTransaction());
        $pdo->exec('UPDATE sums SET value = 7');
        $pdo->rollBack();
        self::assertSame(400, (int) $pdo->query('SELECT value FROM sums')->fetchColumn());
        array_map(unlink(...), glob("$path*") ?: []);
    }
}
