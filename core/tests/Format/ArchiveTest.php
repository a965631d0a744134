<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\Bundle\Entry;
use Chorometra\Core\Format\Bundle\Metadata;
use Chorometra\Core\Format\Bundle\PackedFiles;
use Chorometra\Core\Problem;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\TestWith;

/** Archives as GNU tar writes them, read from front to back. */
final class ArchiveTest extends TestCase
{
    #[TestWith(['--format=ustar'])]
    #[TestWith(['--format=gnu'])]
    #[TestWith(['--format=pax'])]
    public function test_every_kind_of_tar_and_its_long_names(string $format): void
    {
        $deep = str_repeat('a-rather-long-folder-name/', $format === '--format=ustar' ? 4 : 9);
        mkdir("$this->folder/in/$deep", recursive: true);
        $files = ['small.txt' => 'x', "{$deep}band.bin" => random_bytes(70_001), 'empty.txt' => '', 'exact.bin' => random_bytes(1024)];
        foreach ($files as $name => $content) {
            file_put_contents("$this->folder/in/$name", $content);
        }
        foreach (['.tar' => '-cf', '.tar.gz' => '-czf'] as $ending => $option) {
            $path = "$this->folder/out$ending";
            self::shell(['tar', '-C', "$this->folder/in", $format, $option, $path, '.']);
            $archive = PackedFiles::open($path);
            $read = [];
            $entries = $archive->entries(function (Entry $entry, callable $take) use (&$read): void {
                // only a piece of it: what is left is passed over
                $read[$entry->name] = $take(5);
            });
            self::assertEqualsCanonicalizing(array_keys($files), array_map(fn (Entry $entry): string => $entry->name, $entries));
            self::assertSame(substr($files["{$deep}band.bin"], 0, 5), $read["{$deep}band.bin"]);
            self::assertSame(
                strlen($files["{$deep}band.bin"]),
                array_column(array_map(fn (Entry $entry): array => ['name' => $entry->name, 'size' => $entry->size], $entries), 'size', 'name')[
                    "{$deep}band.bin"
                ],
            );
            $archive->extract(["{$deep}band.bin" => "$this->folder/got.bin", 'exact.bin' => "$this->folder/exact.bin"]);
            self::assertSame($files["{$deep}band.bin"], file_get_contents("$this->folder/got.bin"));
            self::assertSame($files['exact.bin'], file_get_contents("$this->folder/exact.bin"));
            $this->problem(3, 'corrupt or truncated', fn () => $archive->extract(['none.bin' => "$this->folder/none.bin"]));
        }
    }

    public function test_archives_cut_off_or_changed_are_refused_with_a_sentence(): void
    {
        mkdir("$this->folder/in");
        file_put_contents("$this->folder/in/a.bin", random_bytes(5000));
        file_put_contents("$this->folder/in/b.txt", 'text');
        self::shell(['tar', '-C', "$this->folder/in", '-cf', "$this->folder/whole.tar", '.']);
        self::shell(['tar', '-C', "$this->folder/in", '-czf', "$this->folder/whole.tar.gz", '.']);
        foreach (['whole.tar', 'whole.tar.gz'] as $name) {
            $bytes = (string) file_get_contents("$this->folder/$name");
            for ($length = 600; $length < min(strlen($bytes), 7000); $length += 611) {
                file_put_contents("$this->folder/cut-$name", substr($bytes, 0, $length));
                try {
                    PackedFiles::open("$this->folder/cut-$name")->entries();
                } catch (Problem $problem) {
                    self::assertStringContainsString("cut-$name is corrupt", $problem->getMessage());
                }
            }
        }
        // a header whose sum is wrong, a size that is no number
        $bytes = (string) file_get_contents("$this->folder/whole.tar");
        $bytes[3] = 'Z';
        file_put_contents("$this->folder/wrong.tar", $bytes);
        $this->problem(3, 'corrupt', fn () => PackedFiles::open("$this->folder/wrong.tar")->entries());
    }

    public function test_metadata_texts_of_keys_and_values(): void
    {
        $text =
            "GROUP = ONE\r\n  DATE = 2031-05-12\r\n  NAME = \"Orvane Sound\"\n  ELEVATION=52.4;\n GROUP = TWO\n  DATE = 1999-01-01\n  lower_case = "
                ."yes\n END_GROUP = TWO\nEND_GROUP = ONE\nno pair here\n= nothing\nEND\n";
        self::assertSame(['DATE' => '2031-05-12', 'NAME' => 'Orvane Sound', 'ELEVATION' => '52.4', 'LOWER_CASE' => 'yes'], Metadata::parse($text));
        self::assertSame([], Metadata::parse("\x00\xff\xfe binary"));
    }
}
