<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;

/**
 * Which pieces joined, in which order and at what cost: leaves are numbered from 1, the k-th merge makes the node leaves + k of two that
 * were there before. Arrays `first`, `second` (numbers of nodes), `height` (limit from which they are one), `rung`; `tree.json` tells the rest.
 */
final readonly class MergeTree
{
    public const TYPE = 'merge tree';

    /** As many as one image may have. */
    private const MOST_LEAVES = 20_000_000;

    /**
     * @param  int  $leaves  pieces that were there at first
     * @param  list<int>  $first
     * @param  list<int>  $second
     * @param  list<float>  $height  never below that of the nodes it joins
     * @param  list<int>  $rung  on which step of the ladder of limits they joined, from 0
     * @param  array<string, mixed>  $made  by which settings
     */
    public function __construct(
        public int $leaves,
        public array $first,
        public array $second,
        public array $height,
        public array $rung,
        public array $made = [],
    ) {}

    public function write(string $path): void
    {
        Npz::write(
            $path,
            ['first' => ['<u4', $this->first], 'second' => ['<u4', $this->second], 'height' => ['<f8', $this->height], 'rung' => ['|u1', $this->rung]],
            ['tree' => ['type' => self::TYPE, 'version' => 1, 'leaves' => $this->leaves, 'made' => (object) $this->made]],
        );
    }

    /** @throws Problem where the file holds something else, or no tree */
    public static function read(string $path): self
    {
        $name = basename($path);
        $file = new Npz($path);
        $told = $file->document('tree');
        if (($told['type'] ?? null) !== self::TYPE || ! is_int($told['leaves'] ?? null) || $told['leaves'] < 1) {
            throw Problem::input("$name holds no merge tree.");
        }
        $leaves = $told['leaves'];
        $names = ['first', 'second', 'height', 'rung'];
        // what is declared, before anything is unpacked
        $counts = array_unique(array_map(fn (string $array): int => $file->arrays[$array]['count'] ?? -1, $names));
        if (count($counts) !== 1 || $counts[0] < 0) {
            throw Problem::input("$name is broken: its arrays are not of one length.");
        }
        if ($counts[0] >= $leaves || $leaves > self::MOST_LEAVES) {
            throw Problem::input("$name is broken: a tree of $leaves leaves has not {$counts[0]} merges, or is larger than any.");
        }
        $parts = [];
        foreach ($names as $array) {
            $parts[$array] = $file->values($array);
        }
        $joined = [];
        $height = array_map(floatval(...), $parts['height']);
        foreach ($parts['first'] as $k => $one) {
            foreach ([(int) $one, (int) ($parts['second'][$k] ?? 0)] as $node) {
                // a node joins once, with one that was there before
                if ($node < 1 || $node > $leaves + $k || isset($joined[$node]) || ($node > $leaves && $height[$node - $leaves - 1] > ($height[$k] ?? -INF))) {
                    throw Problem::input("$name is broken: its merge ".($k + 1).' joins nodes that don\'t exist or are joined already.');
                }
                $joined[$node] = true;
            }
        }

        return new self(
            $leaves,
            array_map(intval(...), $parts['first']),
            array_map(intval(...), $parts['second']),
            $height,
            array_map(intval(...), $parts['rung']),
            (array) ($told['made'] ?? []),
        );
    }

    /**
     * One of its arrays by name.
     *
     * @return list<int|float>
     *
     * @throws Problem where a merge tree holds no such numbers
     */
    public function array(string $name): array
    {
        return match ($name) {
            'first' => $this->first,
            'second' => $this->second,
            'height' => $this->height,
            'rung' => $this->rung,
            default => throw Problem::call("A merge tree holds no “{$name}”; it holds first, second, height and rung.", 'name'),
        };
    }

    /**
     * The pieces that are left at a limit.
     *
     * @return list<int> for each leaf the number of its piece, from 1 in the order of the leaves
     */
    public function cut(float $limit): array
    {
        $top = range(0, $this->leaves + count($this->first));
        foreach ($this->height as $k => $height) {
            if ($height <= $limit) {
                $top[$this->first[$k]] = $top[$this->second[$k]] = $this->leaves + $k + 1;
            }
        }
        // a node is made after those it joins: from the last to the first each finds its top at once
        for ($node = count($top) - 1; $node > 0; $node--) {
            $top[$node] = $top[$top[$node]];
        }
        $numbers = [];
        $pieces = [];
        for ($leaf = 1; $leaf <= $this->leaves; $leaf++) {
            $pieces[] = $numbers[$top[$leaf]] ??= count($numbers) + 1;
        }

        return $pieces;
    }
}
