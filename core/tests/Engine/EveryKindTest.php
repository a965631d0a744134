<?php

namespace Chorometra\Core\Tests\Engine;

use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Step\Report;
use Chorometra\Core\Stopped;
use Chorometra\Core\Tests\Samples;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use PHPUnit\Framework\Attributes\DataProvider;

/** What every kind promises, whichever it is: each comes here by itself, with the example of its declaration. */
final class EveryKindTest extends TestCase
{
    use Samples;

    private const WORKERS = [1, 2, 3];

    /** Too narrow for windows, or with nothing known of a place: such a strip may be refused. */
    private const NARROW = ['correct.coregister', 'assess.matrix'];

    /** @return iterable<string, array{string}> */
    public static function kinds(): iterable
    {
        foreach (Registry::all() as $id => $kind) {
            if ($kind->declaration()->example->needs === null) {
                yield $id => [$id];
            }
        }
    }

    /**
     * @param  array<string, string|Image>  $inputs
     * @return array<string, mixed> figures
     */
    private function example(Kind $kind, array $inputs, string $folder, ?Context $context = null): array
    {
        $declaration = $kind->declaration();
        $outputs = [];
        $settings = $declaration->settings($declaration->example->settings);
        foreach (array_filter($declaration->outputs, fn (Port $port): bool => $port->isMade($settings, array_keys($inputs))) as $port) {
            $outputs[$port->name] = "$folder/$port->name".($port->type === PortType::Folder ? '' : $port->endings[0]);
        }

        return Runner::run($kind, CallOpener::call($kind, $inputs, $declaration->example->settings, $outputs, $context ?? new Context(2, $this->folder)));
    }

    /** @return array<string, string> */
    private function inputs(Declaration $declaration, int $width = 90, int $height = 80, string $content = 'ground'): array
    {
        $inputs = [];
        foreach ($declaration->example->inputs($declaration) as $name => $port) {
            $inputs[$name] = $this->sample($port->sample(), $width, $height, $content, (int) (explode(':', $name)[1] ?? 1));
        }

        return $inputs;
    }

    #[DataProvider('kinds')]
    public function test_its_example_runs_and_gives_the_same_however_many_work(string $id): void
    {
        $kind = Registry::get($id);
        // several blocks of rows, so that workers answer in whatever order
        $inputs = $this->inputs($kind->declaration(), 70, 620);
        $made = [];
        foreach (self::WORKERS as $round => $workers) {
            Files::remove("$this->folder/out$workers");
            $made[$round] = [];
            $figures = $this->example($kind, $inputs, "$this->folder/out$workers", new Context($workers, $this->folder));
            self::assertSame([], Report::undeclared($kind->declaration(), $figures), 'figures have a type');
            $files = new \RecursiveIteratorIterator(new \RecursiveDirectoryIterator("$this->folder/out$workers", \FilesystemIterator::SKIP_DOTS));
            foreach ($files as $file) {
                // a sidecar may tell the time
                if (! str_ends_with((string) $file, '.stac.json')) {
                    $made[$round][basename((string) $file)] = md5_file((string) $file);
                }
            }
            ksort($made[$round]);
            self::assertNotSame([], $made[$round]);
            self::assertSame($made[0], $made[$round], "with $workers workers");
        }
        self::assertSame([], glob("$this->folder/out*/*.part"), 'nothing is left over');
    }

    #[DataProvider('kinds')]
    public function test_tried_on_a_window_it_is_the_same_as_run(string $id): void
    {
        $kind = Registry::get($id);
        if (
            ! ($kind instanceof LocalKind) ||
            $kind->declaration()->learns !== Learning::Nothing ||
            $kind->declaration()->input('image')?->type === PortType::File
        ) {
            $this->expectNotToPerformAssertions();

            return;
        }
        $inputs = $this->inputs($kind->declaration());
        $this->example($kind, $inputs, "$this->folder/run");
        $window = new Window(14, 10, 60, 56);
        $crops = array_map(fn (string $path): Crop|string => str_ends_with($path, '.tif') ? new Crop(new GeoTiffImage($path), $window) : $path, $inputs);
        $this->example($kind, $crops, "$this->folder/trial", new Context(2, $this->folder, trial: true));
        $compared = 0;
        foreach (glob("$this->folder/run/*.tif") ?: [] as $path) {
            [$run, $trial] = [new GeoTiffImage($path), new GeoTiffImage("$this->folder/trial/".basename($path))];
            [$all, $part] = [$run->spec()->grid, $trial->spec()->grid];
            [$whole, $some] = [self::pixels($run), self::pixels($trial)];
            // what looks around each pixel sees less at the edge of the window
            for ($row = 20; $row < $part->height - 20; $row++) {
                for ($col = 20; $col < $part->width - 20; $col++) {
                    [$c, $r] = array_map(fn (float $at): int => (int) floor($at), $all->toPixel(...$part->toMap($col + 0.5, $row + 0.5)));
                    [$expected, $found] = [$whole[$r * $all->width + $c], $some[$row * $part->width + $col]];
                    if (is_float($expected) && is_nan($expected)) {
                        self::assertNan($found, "$path $col, $row");
                    } else {
                        self::assertEqualsWithDelta($expected, $found, 1e-5 * max(1.0, abs($expected)), basename($path)." at $col, $row");
                    }
                    $compared++;
                }
            }
        }
        self::assertGreaterThan(0, $compared);
    }

    /** @return iterable<string, array{int, int, string}> */
    public static function images(): iterable
    {
        yield 'strip down' => [30, 1400, 'noise'];
        yield 'strip across' => [1400, 30, 'noise'];
        foreach (['one pixel' => [1, 1], 'a column' => [1, 300], 'a row' => [300, 1], 'square' => [40, 40]] as $name => [$width, $height]) {
            foreach (self::CONTENTS as $content) {
                yield "$name, $content" => [$width, $height, $content];
            }
        }
    }

    #[DataProvider('images')]
    public function test_on_any_image_it_gives_a_result_or_a_sentence(int $width, int $height, string $content): void
    {
        foreach (Registry::all() as $id => $kind) {
            if ($kind->declaration()->example->needs !== null) {
                continue;
            }
            $inputs = $this->inputs($kind->declaration(), $width, $height, $content);
            try {
                $this->example($kind, $inputs, "$this->folder/out");
            } catch (Problem $problem) {
                self::assertIsSentence($problem, $id);
                self::assertSame([], glob("$this->folder/out/*"), "$id leaves nothing");
                self::assertTrue(max($width, $height) < 1000 || in_array($id, self::NARROW, true), "$id: {$problem->getMessage()}");

                continue;
            }
            self::assertNotSame([], glob("$this->folder/out/*"), $id);
            foreach (glob("$this->folder/out/*.tif") ?: [] as $path) {
                self::assertGreaterThan(0, (new GeoTiffImage($path))->spec()->grid->width);
            }
            Files::remove("$this->folder/out");
        }
    }

    #[DataProvider('kinds')]
    public function test_what_it_does_not_take_is_refused_in_one_sentence(string $id): void
    {
        $kind = Registry::get($id);
        $declaration = $kind->declaration();
        $inputs = $this->inputs($declaration);
        file_put_contents("$this->folder/nonsense", 'neither a picture nor a list');
        $floats = $this->sample('heights');
        foreach ($declaration->example->inputs($declaration) as $name => $port) {
            $wrong = ["$this->folder/nonsense", "$this->folder/not-there.tif"];
            foreach ([...$wrong, ...($port->type === PortType::Classes || $port->type === PortType::Segments ? [$floats] : [])] as $path) {
                try {
                    $this->example($kind, [$name => $path] + $inputs, "$this->folder/out");
                    self::fail("$id took ".basename($path)." for $name.");
                } catch (Problem $problem) {
                    self::assertIsSentence($problem, $id);
                }
                self::assertSame([], glob("$this->folder/out/*"));
            }
        }
    }

    #[DataProvider('kinds')]
    public function test_it_can_be_stopped(string $id): void
    {
        $kind = Registry::get($id);
        $inputs = $this->inputs($kind->declaration());
        try {
            $this->example($kind, $inputs, "$this->folder/out", new Context(2, $this->folder, null, fn (): bool => true));
            self::fail("$id went on.");
        } catch (Stopped $stopped) {
            self::assertSame('Stopped; nothing was changed.', $stopped->getMessage());
        }
        self::assertSame([], glob("$this->folder/out/*"));
    }

    private static function assertIsSentence(Problem $problem, string $id): void
    {
        self::assertStringNotContainsString('broke off', $problem->getMessage(), $id);
        self::assertMatchesRegularExpression('/^[^\n]{20,700}$/', $problem->getMessage(), $id);
    }
}
