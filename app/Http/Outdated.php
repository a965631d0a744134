<?php

namespace App\Http;

use Illuminate\Http\Request;

/** Somebody else changed meanwhile what was to be changed: the answer is 412, with what stands now. */
final class Outdated extends \RuntimeException
{
    /** @param  array<string, mixed>  $now */
    private function __construct(string $message, public readonly array $now)
    {
        parent::__construct($message);
    }

    /**
     * Looks at `If-Match`, in the transaction that changes something. Who does not send it does not mind (RFC 9110, section 13.1.1).
     *
     * @param  string  $what  what it is called in a sentence
     * @param  \Closure(): array<string, mixed>  $now  what stands now, as the browser gets it
     *
     * @throws self where what was seen last is not what stands now
     */
    public static function unless(Request $request, int|string $stamp, string $what, \Closure $now): void
    {
        $seen = array_map(fn (string $tag): string => trim($tag, ' "'), explode(',', (string) $request->header('If-Match', '*')));
        if (! in_array('*', $seen, true) && ! in_array((string) $stamp, $seen, true)) {
            throw new self("$what was changed by somebody else meanwhile: your change was not saved.", $now());
        }
    }
}
