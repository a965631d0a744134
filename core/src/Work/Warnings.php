<?php

namespace Chorometra\Core\Work;

use Chorometra\Core\Problem;

/** A warning of PHP in the midst of a computation means that its numbers can't be trusted: it ends there, with a sentence. */
final class Warnings
{
    /**
     * @template T
     *
     * @param  \Closure(): T  $work
     * @return T
     *
     * @throws Problem where PHP warns of anything that the code does not expect; forked children inherit this
     */
    public static function asProblems(\Closure $work): mixed
    {
        set_error_handler(function (int $level, string $message, string $file, int $line): bool {
            // what stands behind an @ is looked at where it stands
            if ((error_reporting() & $level) === 0) {
                return true;
            }
            $told = 'The computation failed: %s (%s:%d). This is a fault of the program: report it.';
            throw Problem::computation(sprintf($told, $message, basename($file), $line));
        });
        try {
            return $work();
        } finally {
            restore_error_handler();
        }
    }
}
