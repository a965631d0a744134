<?php

namespace Chorometra\Core\Tests;

use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Step\Stage;

final class ArchitectureTest extends TestCase
{
    /** From the ground up: a folder knows itself, what lies in layers below, and nothing beside or above. docs/architecture.md says what each is for. */
    private const LAYERS = [
        ['Work'],
        ['Stats', 'Arithmetic'],
        ['Geo'],
        ['Raster'],
        ['Format'],
        ['Step'],
        ['Engine'],
        ['Regions'],
        ['Gather', 'Correct', 'Derive', 'Segment', 'Classify', 'Compare', 'Assess', 'Deliver'],
        ['Cli'],
    ];

    public function test_layers_know_only_what_lies_below(): void
    {
        $below = [];
        $known = [];
        foreach (self::LAYERS as $layer) {
            foreach ($layer as $folder) {
                $known[$folder] = [...$below, $folder];
            }
            $below = [...$below, ...$layer];
        }
        self::assertSame([], array_diff(array_map(basename(...), glob(self::source().'/*', GLOB_ONLYDIR) ?: []), $below), 'every folder has a layer');
        foreach (self::files() as $path) {
            $folder = strstr(substr($path, strlen(self::source()) + 1), '/', true);
            if ($folder !== false) {
                preg_match_all('/Chorometra\\\\Core\\\\(\w+)\\\\/', (string) file_get_contents($path), $found);
                self::assertSame([], array_values(array_diff($found[1], $known[$folder])), "$path knows what lies beside or above it");
            }
        }
    }

    public function test_folders_are_known_one_way_round(): void
    {
        $known = [];
        foreach (self::files() as $path) {
            $folder = dirname(substr($path, strlen(self::source()) + 1));
            preg_match_all('/^use Chorometra\\\\Core\\\\([\w\\\\]+)\\\\\w+;/m', (string) file_get_contents($path), $found);
            foreach ($found[1] as $other) {
                $other = str_replace('\\', '/', $other);
                // a folder may use what lies in folders below it
                if ($other !== $folder && ! str_starts_with($other, "$folder/")) {
                    $known[$folder][$other] = true;
                }
            }
        }
        // leaving out what knows nothing that is left, nothing is left
        do {
            $before = count($known);
            $known = array_filter($known, fn (array $others): bool => array_intersect_key($others, $known) !== []);
        } while (count($known) < $before);
        self::assertSame([], array_keys($known), 'these know each other, on whatever way round');
    }

    public function test_a_stage_s_folder_holds_kinds_and_what_they_need_lies_below_it(): void
    {
        foreach (Stage::cases() as $stage) {
            foreach (glob(self::source().'/'.ucfirst($stage->value).'/*.php') ?: [] as $file) {
                self::assertTrue(is_subclass_of('Chorometra\\Core\\'.ucfirst($stage->value).'\\'.basename($file, '.php'), Kind::class), "$file is no kind");
            }
        }
    }

    public function test_the_core_knows_no_framework_no_application_and_no_demo(): void
    {
        foreach (self::files() as $path) {
            preg_match_all(
                '/^use ([A-Z]\w+)|[\s(\\\\](App|Illuminate|Laravel|Symfony|Tests|Chorometra\\\\Demo)\\\\/m',
                (string) file_get_contents($path),
                $found,
            );
            $used = array_filter([...$found[1], ...$found[2]]);
            self::assertSame([], array_diff($used, ['Chorometra', 'Opis', 'Random']), $path);
        }
    }

    public function test_neither_application_nor_browser_knows_a_kind_by_name(): void
    {
        $root = dirname(__DIR__, 2);
        $ids = '~[\'"`]('.implode('|', array_map(preg_quote(...), array_keys(Registry::all()))).')[\'"`]~';
        foreach (['app', 'routes', 'resources/js'] as $folder) {
            foreach (self::files("$root/$folder") as $path) {
                // the study of the demo begins with an order
                if (! str_ends_with($path, 'DemoStudy.php') && ! str_ends_with($path, 'schema.d.ts')) {
                    self::assertDoesNotMatchRegularExpression($ids, (string) file_get_contents($path), $path);
                }
            }
        }
    }

    public function test_every_kind_declares_itself_whole(): void
    {
        $kinds = Registry::all();
        self::assertSame(
            [
                'gather.bundle',
                'gather.image',
                'correct.calibrate',
                'derive.index',
                'segment.slice',
                'assess.draw',
                'assess.matrix',
                'deliver.image',
                'deliver.outlines',
            ],
            array_values(
                array_intersect(array_keys($kinds), [
                    'gather.bundle',
                    'gather.image',
                    'correct.calibrate',
                    'derive.index',
                    'segment.slice',
                    'assess.draw',
                    'assess.matrix',
                    'deliver.image',
                    'deliver.outlines',
                ]),
            ),
        );
        foreach ($kinds as $id => $kind) {
            $declaration = $kind->declaration();
            self::assertSame($id, $declaration->id);
            self::assertMatchesRegularExpression('/^[A-Z].+\.$/s', $declaration->sentence, $id);
            self::assertNotSame('', $declaration->source, $id);
            self::assertNotSame([], $declaration->outputs, $id);
            $names = array_map(fn ($part): string => $part->name, [...$declaration->inputs, ...$declaration->settings]);
            self::assertSame($names, array_unique($names), $id);
            foreach ($declaration->settings as $setting) {
                self::assertNotSame('', $setting->help, "$id $setting->name");
                // a default is a value that may be chosen
                if (! $setting->required && $setting->default !== null && $setting->default !== []) {
                    self::assertEquals($setting->default, $setting->value($setting->default), "$id $setting->name");
                }
            }
            foreach ([...$declaration->settings, ...$declaration->outputs] as $part) {
                if ($part->only !== null) {
                    $of = $declaration->setting($part->only->of);
                    $known = $of === null ? [] : ($of->type === 'switch' ? ['yes', 'no'] : $of->choices);
                    self::assertTrue($of !== null || $declaration->input($part->only->of) !== null, "$id $part->name: {$part->only->of}");
                    self::assertSame([], array_diff($part->only->values, $known), "$id $part->name");
                    self::assertSame($of === null, $part->only->values === [], "$id $part->name");
                }
            }
        }
    }

    public function test_what_a_public_method_throws_is_told(): void
    {
        $silent = [];
        foreach (self::files() as $path) {
            $class = 'Chorometra\\Core\\'.str_replace('/', '\\', substr($path, strlen(self::source()) + 1, -4));
            self::assertTrue(class_exists($class) || interface_exists($class) || trait_exists($class), $class);
            $lines = file($path) ?: [];
            foreach ((new \ReflectionClass($class))->getMethods(\ReflectionMethod::IS_PUBLIC) as $method) {
                // contracts tell it of those that keep them
                if ($method->getFileName() === realpath($path) && ! $method->hasPrototype()) {
                    $body = implode('', array_slice($lines, $method->getStartLine() - 1, $method->getEndLine() - $method->getStartLine() + 1));
                    $isTold = str_contains((string) $method->getDocComment(), '@throws');
                    $silent = str_contains($body, 'throw Problem::') && ! $isTold ? [...$silent, "$class::$method->name"] : $silent;
                }
            }
        }
        self::assertSame([], $silent);
    }

    public function test_no_two_classes_have_one_name(): void
    {
        $root = dirname(__DIR__, 2);
        $found = [];
        foreach ([...self::files("$root/app"), ...self::files("$root/core/src")] as $path) {
            $found[basename($path)][] = $path;
        }
        self::assertSame([], array_filter($found, fn (array $paths): bool => count($paths) > 1));
    }

    public function test_no_line_is_longer_than_160_characters(): void
    {
        $root = dirname(__DIR__, 2);
        foreach (['app', 'benchmarks', 'config', 'core', 'database', 'demo', 'ops', 'routes', 'tests'] as $folder) {
            foreach (self::files("$root/$folder") as $path) {
                foreach (str_ends_with($path, '.php') ? explode("\n", (string) file_get_contents($path)) : [] as $number => $line) {
                    self::assertLessThanOrEqual(160, mb_strlen($line), $path.':'.($number + 1));
                }
            }
        }
    }

    private static function source(): string
    {
        return dirname(__DIR__).'/src';
    }

    /** @return list<string> */
    private static function files(?string $folder = null): array
    {
        $files = [];
        foreach (new \RecursiveIteratorIterator(new \RecursiveDirectoryIterator($folder ?? self::source(), \FilesystemIterator::SKIP_DOTS)) as $file) {
            $files[] = (string) $file;
        }

        return $files;
    }
}
