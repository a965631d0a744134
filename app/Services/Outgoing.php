<?php

namespace App\Services;

use Chorometra\Core\Work\Files;
use Symfony\Component\HttpKernel\Exception\ServiceUnavailableHttpException;

/**
 * Answers that wait for other services: no more than a few at a time, so that slow ones never hold all of the server's processes, and
 * stand-ins, which are this server itself, find one to answer them.
 */
final class Outgoing
{
    /** Of the processes that bin/start gives the server. */
    private const PLACES = 3;

    /**
     * @template T
     *
     * @param  \Closure(): T  $ask
     * @param  float  $patience  seconds that a place is waited for
     * @return T
     */
    public static function ask(\Closure $ask, float $patience = 3.0): mixed
    {
        $folder = config()->string('chorometra.files').'/outgoing';
        Files::folder($folder);
        $until = microtime(true) + $patience;
        do {
            for ($place = 0; $place < self::PLACES; $place++) {
                $handle = fopen("$folder/$place", 'c');
                if ($handle !== false && flock($handle, LOCK_EX | LOCK_NB)) {
                    try {
                        return $ask();
                    } finally {
                        fclose($handle);
                    }
                }
            }
            usleep(50_000);
        } while (microtime(true) < $until);
        throw new ServiceUnavailableHttpException(1, 'Several service requests are under way: try again in a moment.');
    }
}
