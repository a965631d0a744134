<?php

namespace Chorometra\Core\Work;

use Chorometra\Core\Problem;

/** Functions made at run time. They go through files, since only included files are compiled by the JIT. */
final class GeneratedCode
{
    /** Files that are kept; those made first go when there are more, unless they are in use just now. */
    private const MOST = 1024;

    private const IN_USE = 60;

    /** Functions that one process holds. */
    private const MOST_LOADED = 256;

    /** @var array<string, \Closure> */
    private static array $loaded = [];

    public static function load(string $code): \Closure
    {
        $key = hash('xxh128', $code);
        if (isset(self::$loaded[$key])) {
            return self::$loaded[$key];
        }
        $file = self::folder()."/$key.php";
        $text = "<?php\n\n$code";
        $made = null;
        if (is_file($file) && file_get_contents($file) === $text) {
            // it may be swept at this moment
            $made = @include $file;
        }
        if (! $made instanceof \Closure) {
            Files::write($file, $text);
            // files younger than two seconds are not compiled
            touch($file, time() - 10);
            $made = require $file;
            // one of many looks whether there are too many by now
            if (ord($key[0]) === ord('0') && $key[1] === '0') {
                self::sweep();
            }
        }
        assert($made instanceof \Closure);
        if (count(self::$loaded) >= self::MOST_LOADED) {
            unset(self::$loaded[array_key_first(self::$loaded)]);
        }

        return self::$loaded[$key] = $made;
    }

    /** Takes away what was made first, where there is too much. */
    public static function sweep(): void
    {
        $files = [];
        foreach (glob(self::folder().'/*.php') ?: [] as $file) {
            $files[$file] = (int) @filemtime($file);
        }
        arsort($files);
        foreach (array_slice($files, self::MOST) as $file => $made) {
            if ($made < time() - self::IN_USE) {
                @unlink($file);
            }
        }
    }

    private static function folder(): string
    {
        $folder = sys_get_temp_dir().'/chorometra-code-'.posix_geteuid();
        if (! is_dir($folder)) {
            @mkdir($folder, 0o700);
        }
        // a folder that someone else can write to is no place to include code from
        if (fileowner($folder) !== posix_geteuid() || (fileperms($folder) & 0o022) !== 0) {
            throw Problem::computation("The folder $folder belongs to someone else: remove it, then run the step again.");
        }

        return $folder;
    }
}
