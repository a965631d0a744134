<?php

namespace Chorometra\Core\Work;

use Chorometra\Core\Problem;

/** Files appear whole: written beside their place, then renamed. */
final class Files
{
    /** Bytes of a name, so that there is room for what is put to it. */
    private const MOST_NAME = 120;

    public static function write(string $path, string $content): void
    {
        self::replace($path, function ($handle, string $part) use ($content): void {
            self::put($handle, $content, $part);
        });
    }

    /**
     * @param  callable(resource, string): void  $fill writes the content; a problem leaves what was there before
     *
     * @throws Problem where the file can't be written
     */
    public static function replace(string $path, callable $fill): void
    {
        self::folder(dirname($path));
        $part = "$path.".getmypid().'.part';
        $handle = @fopen($part, 'wb');
        if ($handle === false) {
            throw Problem::computation(sprintf('%s can\'t be written: check the permission for the folder %s.', basename($path), dirname($path)));
        }
        try {
            $fill($handle, $path);
            if (! fflush($handle)) {
                throw self::full($path);
            }
            fclose($handle);
            if (! @rename($part, $path)) {
                throw Problem::computation(basename($path).' can\'t be put in its place: check the permission for its folder.');
            }
        } catch (\Throwable $problem) {
            @unlink($part);
            throw $problem;
        }
    }

    /**
     * Writes all bytes or says that the disk is full.
     *
     * @param  resource  $handle
     *
     * @throws Problem where the disk is full
     */
    public static function put($handle, string $bytes, string $path): void
    {
        if ($bytes !== '' && @fwrite($handle, $bytes) !== strlen($bytes)) {
            throw self::full($path);
        }
    }

    public static function full(string $path): Problem
    {
        return Problem::computation('The disk that '.basename($path).' goes to is full: free some space, then run the step again.');
    }

    /** A name that came from outside as one that any disk takes: sound UTF-8, of bounded length, with its ending. */
    public static function name(string $told, string $default): string
    {
        $name = trim((string) preg_replace('/[^\pL\pN ._-]+/u', '-', Utf8::of(basename($told))), ' .');
        $ending = preg_match('/(\.[A-Za-z0-9]{1,8}){1,2}$/', $name, $match) ? $match[0] : '';
        $stem = substr($name, 0, strlen($name) - strlen($ending));

        return $stem === '' && $ending === '' ? $default : mb_strcut($stem, 0, self::MOST_NAME, 'UTF-8').$ending;
    }

    /** @throws Problem where it can't be made */
    public static function folder(string $path): void
    {
        if (! is_dir($path) && ! @mkdir($path, 0o775, true) && ! is_dir($path)) {
            throw Problem::computation("The folder $path can't be made: check the permission.");
        }
    }

    /**
     * A folder that is whole takes its place; what lies there already under other names stays.
     *
     * @throws Problem where a file can't be moved
     */
    public static function moveFolder(string $from, string $to): void
    {
        if (! file_exists($to) && @rename($from, $to)) {
            return;
        }
        self::folder($to);
        foreach (scandir($from) ?: [] as $name) {
            if ($name === '.' || $name === '..') {
                continue;
            }
            if (is_dir("$from/$name") && is_dir("$to/$name")) {
                self::moveFolder("$from/$name", "$to/$name");
            } elseif (! @rename("$from/$name", "$to/$name")) {
                throw Problem::computation("$name can't be put into the folder $to: check the permission.");
            }
        }
    }

    /**
     * Outputs of a step that did not end go, with what stands beside them.
     *
     * @param  array<string>  $paths
     */
    public static function discard(array $paths): void
    {
        foreach ($paths as $path) {
            self::remove($path);
            foreach (['.stac.json', '.pgw'] as $beside) {
                @unlink(preg_replace('/\.(tiff?|png)$/i', '', $path).$beside);
            }
        }
    }

    public static function remove(string $folder): void
    {
        if (! is_dir($folder) || is_link($folder)) {
            @unlink($folder);

            return;
        }
        foreach (scandir($folder) ?: [] as $name) {
            if ($name !== '.' && $name !== '..') {
                self::remove("$folder/$name");
            }
        }
        @rmdir($folder);
    }
}
