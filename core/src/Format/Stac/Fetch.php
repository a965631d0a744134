<?php

namespace Chorometra\Core\Format\Stac;

use Chorometra\Core\Format\Web\Http;
use Chorometra\Core\Format\Web\Unreachable;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

/**
 * Gets an asset whole: fetched on after a break, tried again with growing pauses, its size and checksum compared with what the archive told
 * (file extension: a multihash of SHA-1, SHA-2 256 or SHA-2 512).
 */
final class Fetch
{
    private const TRIES = 7;

    /** Times that a file may come whole and still be another than was told. */
    private const WHOLE = 3;

    private const HASHES = ['11' => ['sha1', 20], '12' => ['sha256', 32], '13' => ['sha512', 64]];

    /** @var list<string> what happened on the way, for the figures */
    public array $story = [];

    /** @var list<array{float, float}> seconds since the first, and megabytes that had come by then */
    public array $curve = [];

    /** Seconds between points of the curve; they grow with it, so that there are few. */
    private float $between = 0.5;

    private ?float $start = null;

    private float $before = 0.0;

    /** @param  string  $folder  where what was fetched so far is kept for the next try */
    public function __construct(private readonly string $folder, private readonly Context $context, private readonly float $pause = 0.5) {}

    /**
     * @param  array<string, mixed>  $asset  of a STAC Item
     * @param  string  $url  its absolute address
     * @return string the file
     *
     * @throws Problem where the file can't be fetched whole
     */
    public function asset(array $asset, string $url): string
    {
        Files::folder($this->folder);
        $size = is_int($asset['file:size'] ?? null) ? $asset['file:size'] : null;
        $checksum = is_string($asset['file:checksum'] ?? null) ? strtolower($asset['file:checksum']) : null;
        $name = self::name($url);
        $part = $this->folder.'/'.substr(hash('sha256', "$url $checksum"), 0, 24).'.part';
        if (is_file($part) && filesize($part) > 0) {
            $this->story[] = sprintf('went on from %s MB fetched before', round(filesize($part) / 1e6, 1));
        }
        $this->room($size, $part, $name);
        for ($try = 1, $whole = 0; ; $try++) {
            try {
                $total = Http::resume($url, $part, $name, $size, function (int $have, ?int $of) use ($name): void {
                    $this->grow($have / 1e6);
                    $this->context->report(
                        $of === null || $of === 0 ? 0.0 : $have / $of,
                        sprintf('fetching %s: %s%s MB', $name, round($have / 1e6, 1), $of === null ? '' : ' of '.round($of / 1e6, 1)),
                    );
                });
                $trouble = $this->wrong($part, $size ?? $total, $checksum);
                if ($trouble === null) {
                    $this->grow((int) filesize($part) / 1e6, true);
                    $this->before += (int) filesize($part) / 1e6;

                    return $part;
                }
                @unlink($part);
                $whole++;
            } catch (Unreachable $broken) {
                $trouble = sprintf('broke off at %s MB (%s)', round((is_file($part) ? filesize($part) : 0) / 1e6, 1), $broken->getMessage());
            }
            $this->story[] = "$name $trouble";
            if ($try >= self::TRIES || $whole >= self::WHOLE) {
                throw Problem::input("$name could not be fetched in $try tries: it $trouble. What is downloaded is kept; run the step again later.", 'scene');
            }
            $this->wait($this->pause * 2 ** ($try - 1), "$name $trouble", $try + 1);
        }
    }

    /** Another point of the curve, not more than some a minute. */
    private function grow(float $megabytes, bool $isLast = false): void
    {
        $now = microtime(true);
        $this->start ??= $now;
        $last = $this->curve === [] ? -INF : $this->curve[count($this->curve) - 1][0];
        if (! $isLast && $now - $this->start - $last < $this->between) {
            return;
        }
        $this->curve[] = $point = [round($now - $this->start, 2), round($this->before + $megabytes, 3)];
        $this->between = max($this->between, count($this->curve) / 100);
        $this->context->grow('along', $point);
    }

    /** Waits, and looks up while it does. */
    public function wait(float $seconds, string $why, int $try): void
    {
        $until = microtime(true) + $seconds;
        while (($left = $until - microtime(true)) > 0) {
            $this->context->report(0.0, sprintf('%s; try %d in %s s', $why, $try, round($left, 1)));
            usleep((int) min(100_000, $left * 1e6));
        }
    }

    public static function name(string $url): string
    {
        return preg_replace('/[^\w.-]+/', '-', basename((string) parse_url($url, PHP_URL_PATH))) ?: 'asset';
    }

    private function wrong(string $part, ?int $size, ?string $checksum): ?string
    {
        clearstatcache(true, $part);
        $have = (int) filesize($part);
        if ($size !== null && $have !== $size) {
            return "has $have bytes instead of $size";
        }
        if ($checksum === null) {
            return null;
        }
        [$algorithm, $length] = self::HASHES[substr($checksum, 0, 2)] ?? [null, 0];
        if ($algorithm === null || hexdec(substr($checksum, 2, 2)) !== $length) {
            $this->story[] = 'its checksum is of a kind that is not supported and was not compared';

            return null;
        }

        return hash_file($algorithm, $part) === substr($checksum, 4) ? null : 'does not match its checksum';
    }

    private function room(?int $size, string $part, string $name): void
    {
        $free = @disk_free_space($this->folder);
        $needed = max(0, ($size ?? 0) - (is_file($part) ? (int) filesize($part) : 0));
        if ($free !== false && $needed > $free) {
            throw Problem::computation(
                sprintf(
                    '%s takes %d MB and the disk that holds %s has %d MB left: free some space, then run the step again.',
                    $name,
                    $needed >> 20,
                    $this->folder,
                    $free >> 20,
                ),
            );
        }
    }
}
