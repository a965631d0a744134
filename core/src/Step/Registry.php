<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Problem;

/** All kinds of step: the classes at the top of the stages' folders. Adding one is adding its file; what kinds need beside lies in folders below. */
final class Registry
{
    /** @var array<string, Kind>|null */
    private static ?array $kinds = null;

    /** @var array<string, Declaration> by id */
    private static array $declarations = [];

    /** @return array<string, Kind> by id, in the order of the route */
    public static function all(): array
    {
        if (self::$kinds === null) {
            self::$kinds = [];
            foreach (Stage::cases() as $stage) {
                foreach (glob(dirname(__DIR__).'/'.ucfirst($stage->value).'/*.php') ?: [] as $file) {
                    $class = 'Chorometra\\Core\\'.ucfirst($stage->value).'\\'.basename($file, '.php');
                    if (is_subclass_of($class, Kind::class)) {
                        $kind = new $class;
                        self::$kinds[$kind->declaration()->id] = $kind;
                    }
                }
            }
        }

        return self::$kinds;
    }

    /** What a kind says of itself, put together once: whoever lists steps asks for many. */
    public static function declaration(string $id): Declaration
    {
        return self::$declarations[$id] ??= self::get($id)->declaration();
    }

    public static function get(string $id): Kind
    {
        return self::all()[$id] ?? throw Problem::call("There is no kind of step “{$id}”; `bin/chorometra steps` lists them.", 'kind');
    }
}
