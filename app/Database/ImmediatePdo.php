<?php

namespace App\Database;

/**
 * SQLite transactions that take the write lock when they begin, and so wait for their turn. A deferred one that reads first and
 * writes later is refused at once when another process wrote in between; the queue then takes its job for broken and drops it.
 * Laravel's setting transaction_mode does this from PHP 8.4 on only.
 */
final class ImmediatePdo extends \PDO
{
    private bool $open = false;

    public function beginTransaction(): bool
    {
        $this->exec('BEGIN IMMEDIATE');

        return $this->open = true;
    }

    public function commit(): bool
    {
        try {
            $this->exec('COMMIT');
        } catch (\PDOException $error) {
            // a full disk is found out here: nothing of it may stay open
            $this->rollBack();
            throw $error;
        }
        $this->open = false;

        return true;
    }

    public function rollBack(): bool
    {
        if ($this->open) {
            $this->open = false;
            $this->exec('ROLLBACK');
        }

        return true;
    }

    public function inTransaction(): bool
    {
        return $this->open;
    }
}
