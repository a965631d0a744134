<?php

namespace Chorometra\Core\Tests;

use Chorometra\Core\Step\Registry;

final class ArchitectureTest extends TestCase
{
    public function test_the_core_knows_no_framework_no_application_and_no_demo(): void
    {
        foreach (new \RecursiveIteratorIterator(new \RecursiveDirectoryIterator(dirname(__DIR__).'/src', \FilesystemIterator::SKIP_DOTS)) as $file) {
            self::assertInstanceOf(\SplFileInfo::class, $file);
            preg_match_all('/^use ([A-Z]\w+)|[\s(\\\\](App|Illuminate|Laravel|Symfony|Tests|Chorometra\\\\Demo)\\\\/m', (string) file_get_contents($file->getPathname()), $found);
            $used = array_filter([...$found[1], ...$found[2]]);
            self::assertSame([], array_diff($used, ['Chorometra', 'Opis', 'Random']), $file->getFilename());
        }
    }

    public function test_every_kind_declares_itself_whole(): void
    {
        $kinds = Registry::all();
        self::assertSame(['gather.bundle', 'gather.image', 'correct.calibrate', 'derive.index', 'segment.slice', 'assess.draw', 'assess.matrix', 'deliver.image', 'deliver.outlines'], array_values(array_intersect(array_keys($kinds), ['gather.bundle', 'gather.image', 'correct.calibrate', 'derive.index', 'segment.slice', 'assess.draw', 'assess.matrix', 'deliver.image', 'deliver.outlines'])));
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
        }
    }
}
