<?php

namespace App\Evidence;

use Chorometra\Core\Classify\Cases\Shelf;
use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Work\Files;

/** Measures of segments and what borders on what, kept between one look and the next: items never change. */
final readonly class MeasureShelf implements Shelf
{
    /** Files of a study; those unused for longest go. */
    private const MOST = 300;

    /** Grows when measures are defined anew: what was kept before is not of use then. */
    private const EDITION = 2;

    /** @param  string  $of  tells these segments and images from others */
    public function __construct(private string $folder, private string $of) {}

    public function take(string $measure): ?array
    {
        $kept = $this->read($measure);

        return $kept === null ? null : ['unit' => $kept['unit'], 'values' => array_values((array) unpack('e*', $kept['values']))];
    }

    public function put(string $measure, array $column): void
    {
        $this->write($measure, ['unit' => $column['unit'], 'values' => pack('e*', ...$column['values'])]);
    }

    /** @param  \Closure(): Graph  $make */
    public function graph(\Closure $make): Graph
    {
        $kept = $this->read('borders');
        if ($kept !== null) {
            $lists = array_map(fn (string $list): array => array_values((array) unpack($list[0].'*', substr($list, 1))), $kept);

            return new Graph($lists['numbers'], $lists['pixels'], $lists['first'], $lists['second'], $lists['length'], $lists['outer']);
        }
        $graph = $make();
        $whole = ['numbers' => $graph->numbers, 'pixels' => $graph->pixels, 'first' => $graph->first, 'second' => $graph->second];
        $this->write('borders', array_map(fn (array $list): string => 'P'.pack('P*', ...$list), $whole)
            + array_map(fn (array $list): string => 'e'.pack('e*', ...$list), ['length' => $graph->length, 'outer' => $graph->outer]));

        return $graph;
    }

    /** @return array<string, mixed>|null */
    private function read(string $name): ?array
    {
        $path = $this->path($name);
        $bytes = is_file($path) ? file_get_contents($path) : false;
        if ($bytes === false) {
            return null;
        }
        @touch($path);
        $told = unserialize($bytes, ['allowed_classes' => false]);

        return is_array($told) ? $told : null;
    }

    /** @param  array<string, mixed>  $what */
    private function write(string $name, array $what): void
    {
        Files::folder($this->folder);
        $all = glob("$this->folder/*") ?: [];
        if (count($all) >= self::MOST) {
            usort($all, fn (string $a, string $b): int => (int) @filemtime($a) <=> (int) @filemtime($b));
            array_map(Files::remove(...), array_slice($all, 0, intdiv(self::MOST, 4)));
        }
        Files::write($this->path($name), serialize($what));
    }

    private function path(string $name): string
    {
        return $this->folder.'/'.hash('sha256', self::EDITION."/$this->of/$name");
    }
}
