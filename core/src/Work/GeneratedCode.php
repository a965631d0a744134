<?php

namespace Chorometra\Core\Work;

use Chorometra\Core\Problem;

/** Functions made at run time. They go through files, since only included files are compiled by the JIT. */
final class GeneratedCode
{
    /** Files that are kept; those made first go when there are more, unless they are in use just now. */
    private const MOST = 1024;

    private const IN_USE = 60;

    /** Seconds after which a file goes that nobody wrote again. */
    private const AGE = 7 * 86400;

    /** Before any process began: 1 January 2000. */
    private const OLD = 946_684_800;

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
            // what is younger than the process, or hardly older, is not compiled, and so would be slow in a process that has run for a while
            touch($file, self::OLD);
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

    /** Takes away what was made long ago, or first where there is too much. */
    public static function sweep(): void
    {
        $files = [];
        foreach (glob(self::folder().'/*.php') ?: [] as $file) {
            // times of change are set by us, those of the inode are not
            $files[$file] = (int) @filectime($file);
        }
        arsort($files);
        foreach (array_keys($files) as $place => $file) {
            if ($files[$file] < time() - ($place < self::MOST ? self::AGE : self::IN_USE)) {
                @unlink($file);
            }
        }
    }

    /** @return list<string> files of the functions that this process holds */
    public static function files(): array
    {
        return array_map(fn (string $key): string => self::folder()."/$key.php", array_keys(self::$loaded));
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
