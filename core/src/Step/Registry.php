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

    /**
     * What a kind says of itself, put together once: whoever lists steps asks for many. Of one that is gone, that it is: the steps that it made are
     * still there.
     */
    public static function declaration(string $id): Declaration
    {
        return self::$declarations[$id] ??= isset(self::all()[$id]) ? self::all()[$id]->declaration() : self::gone($id);
    }

    private static function gone(string $id): Declaration
    {
        $stage = Stage::tryFrom((string) strstr($id, '.', true)) ?? Stage::Gather;

        return new Declaration(
            "$stage->value.gone",
            "Step of an unknown kind ($id)",
            'This version has no such kind of step: its results are kept, but it can\'t be run again.',
            [],
            [],
            [],
            '',
        );
    }

    /** @throws Problem where there is no such kind */
    public static function get(string $id): Kind
    {
        return self::all()[$id] ?? throw Problem::call("Unknown kind of step “{$id}”; `bin/chorometra steps` lists them.", 'kind');
    }
}
