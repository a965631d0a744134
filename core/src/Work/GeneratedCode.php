<?php

namespace Chorometra\Core\Work;

use Chorometra\Core\Problem;

/** Functions made at run time. They go through files, since only included files are compiled by the JIT. */
final class GeneratedCode
{
    /** @var array<string, \Closure> */
    private static array $loaded = [];

    public static function load(string $code): \Closure
    {
        $key = hash('xxh128', $code);
        if (isset(self::$loaded[$key])) {
            return self::$loaded[$key];
        }
        $folder = sys_get_temp_dir().'/chorometra-code-'.posix_geteuid();
        if (! is_dir($folder)) {
            @mkdir($folder, 0o700);
        }
        // a folder that someone else can write to is no place to include code from
        if (fileowner($folder) !== posix_geteuid() || (fileperms($folder) & 0o022) !== 0) {
            throw Problem::computation("The folder $folder belongs to someone else: remove it, then run the step again.");
        }
        $file = "$folder/$key.php";
        $text = "<?php\n\n$code";
        if (! is_file($file) || file_get_contents($file) !== $text) {
            Files::write($file, $text);
            // files younger than two seconds are not compiled
            touch($file, time() - 10);
        }
        $made = require $file;
        assert($made instanceof \Closure);

        return self::$loaded[$key] = $made;
    }
}
