<?php

namespace App\Evidence;

use Chorometra\Core\Correct\Air\SpectralLibrary;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Utf8;
use Chorometra\Demo\Signatures as MadeUp;

/** SpectralLibrary that spectra are compared with: the made-up ones that ship with the product, and those that were added as CSV. */
final class SignatureLibrary
{
    public const SHIPPED = 'made-up';

    /** @return array<string, SpectralLibrary> by name */
    public static function all(): array
    {
        $shipped = self::folder().'/'.self::SHIPPED.'.csv';
        if (! is_file($shipped)) {
            MadeUp::write($shipped);
        }
        $all = [self::SHIPPED => SpectralLibrary::read($shipped)];
        foreach (glob(self::folder().'/added/*.csv') ?: [] as $path) {
            try {
                $all[basename($path, '.csv')] = SpectralLibrary::read($path);
            } catch (Problem) {
                // one that was spoilt on the disk leaves the others as they are
                continue;
            }
        }

        return $all;
    }

    /** Takes a file in, once it can be read; one of the same name is replaced. */
    public static function add(string $path, string $name): void
    {
        SpectralLibrary::read($path);
        $name = Files::name(pathinfo($name, PATHINFO_FILENAME), 'signatures');
        if ($name === self::SHIPPED) {
            throw Problem::call("“{$name}” is the name of the built-in library: rename the file.", 'signatures');
        }
        Files::write(self::folder()."/added/$name.csv", Utf8::of((string) file_get_contents($path)));
    }

    public static function remove(string $name): void
    {
        $path = self::folder().'/added/'.basename($name).'.csv';
        if (! is_file($path)) {
            throw Problem::call("No library “{$name}” was added.", 'signatures');
        }
        unlink($path);
    }

    private static function folder(): string
    {
        return config()->string('chorometra.files').'/signatures';
    }
}
