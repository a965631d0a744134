<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Tests\TestCase;

/** Broken and hostile files get one sentence and bounded memory, never anything else. */
final class HostileTiffTest extends TestCase
{
    /** Reads all there is, in pieces of at most a tile. */
    private function readAll(string $path): void
    {
        $image = new GeoTiffImage($path);
        foreach ($image->levels() as $level => [$width, $height]) {
            $window = (new Window(0, 0, 256, 256))->within($width, $height);
            foreach (array_keys($image->spec()->bands) as $band) {
                if ($band < 4) {
                    $image->read($band, $window, $level);
                }
            }
        }
    }

    private function refused(string $bytes, string $part = ''): void
    {
        file_put_contents("$this->folder/bad.tif", $bytes);
        $this->problem(3, $part, fn () => $this->readAll("$this->folder/bad.tif"));
    }

    /** @param  list<array{int, int, int, int}>  $entries tag, type, count, value */
    private static function tiff(array $entries, int $next = 0): string
    {
        $out = "II\x2a\0".pack('V', 8).pack('v', count($entries));
        foreach ($entries as [$tag, $type, $count, $value]) {
            $out .= pack('vvVV', $tag, $type, $count, $value);
        }

        return $out.pack('V', $next).str_repeat("\0", 64);
    }

    /** @return list<array{int, int, int, int}> a 4 x 4 image of bytes that begins at 200, with changes by tag */
    private static function entries(int $tag = 0, int $type = 4, int $count = 1, int $value = 0): array
    {
        $plain = [
            256 => [3, 1, 4],
            257 => [3, 1, 4],
            258 => [3, 1, 8],
            259 => [3, 1, 1],
            262 => [3, 1, 1],
            273 => [4, 1, 200],
            277 => [3, 1, 1],
            278 => [3, 1, 4],
            279 => [4, 1, 16],
        ];
        if ($tag) {
            $plain[$tag] = [$type, $count, $value];
            ksort($plain);
        }

        return array_map(fn (int $tag, array $rest): array => [$tag, ...$rest], array_keys($plain), $plain);
    }

    public function test_the_plain_file_reads(): void
    {
        file_put_contents("$this->folder/good.tif", self::tiff(self::entries()).str_repeat("\x07", 200));
        self::assertSame(array_fill(0, 16, 7.0), self::pixels("$this->folder/good.tif"));
    }

    public function test_what_is_no_tiff(): void
    {
        $this->refused('', 'too short');
        $this->refused('hello, this is a letter', 'not a TIFF file');
        $this->refused("II\x2a\0\xff\xff\xff\x7f", 'beyond the end');
        $this->refused("II\x63\0\0\0\0\0", 'version number');
    }

    public function test_loops_of_directories(): void
    {
        $this->refused(self::tiff(self::entries(), 8), 'loop');
    }

    public function test_sizes_that_overflow_or_fill_the_memory(): void
    {
        $before = memory_get_peak_usage();
        $this->refused(self::tiff(self::entries(256, 4, 1, 0xFFFFFFFF)), 'claims a size');
        $this->refused(self::tiff(self::entries(257, 4, 1, 0x3FFFFFFF)));
        $this->refused(self::tiff(self::entries(277, 4, 1, 60000)), '60000 bands');
        $this->refused(self::tiff(self::entries(273, 4, 0x10000000, 8)), 'more than the file can hold');
        $this->refused(self::tiff(self::entries(279, 4, 1, 15)).str_repeat('a', 100), "can't be unpacked");
        $this->refused(self::tiff(self::entries(322, 4, 1, 0x20000000)));
        $this->refused(self::tiff(self::entries(256, 4, 1, 0x20000000)));
        self::assertLessThan(64 << 20, memory_get_peak_usage() - $before);
    }

    public function test_offsets_beyond_the_end(): void
    {
        $this->refused(self::tiff(self::entries(273, 4, 1, 1 << 30)), 'beyond the end');
    }

    public function test_a_file_cut_off_anywhere(): void
    {
        foreach (['f32_tiles16_zip_pred3', 'u16x3_tiles16_lzw_pred2_le', 'u16x3_packbits_be'] as $name) {
            $whole = (string) file_get_contents(__DIR__."/../fixtures/tiff/$name.tif");
            for ($length = 0, $all = strlen($whole); $length < $all - 1; $length += 97) {
                file_put_contents("$this->folder/cut.tif", substr($whole, 0, $length));
                try {
                    $this->readAll("$this->folder/cut.tif");
                } catch (Problem $problem) {
                    self::assertSame(3, $problem->status);
                }
            }
        }
        $this->addToAssertionCount(1);
    }

    public function test_files_changed_at_random_never_do_more_than_be_refused(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(2031));
        $before = memory_get_peak_usage();
        foreach (glob(__DIR__.'/../fixtures/tiff/*.tif') ?: [] as $file) {
            $whole = (string) file_get_contents($file);
            for ($try = 0; $try < 150; $try++) {
                $bytes = $whole;
                for ($change = $random->getInt(1, 6); $change > 0; $change--) {
                    // directories and headers more often than pixels
                    $at = $random->getInt(0, 1)
                        ? $random->getInt(0, min(400, strlen($bytes) - 1))
                        : $random->getInt(max(0, strlen($bytes) - 600), strlen($bytes) - 1);
                    $bytes[$at] = chr($random->getInt(0, 255));
                }
                file_put_contents("$this->folder/changed.tif", $bytes);
                try {
                    $this->readAll("$this->folder/changed.tif");
                } catch (Problem $problem) {
                    self::assertMatchesRegularExpression('/^changed\.tif .+[.]$/s', $problem->getMessage());
                }
            }
        }
        self::assertLessThan(600 << 20, memory_get_peak_usage() - $before);
    }
}
