<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Step\Setting;

/** All classifiers: the classes in the folder Classifiers. Adding one is adding its file. */
final class Classifiers
{
    /** @var array<string, class-string<Classifier>>|null */
    private static ?array $all = null;

    /** @return array<string, class-string<Classifier>> by name of the method, in order */
    public static function all(): array
    {
        if (self::$all === null) {
            $found = [];
            foreach (glob(dirname(__DIR__).'/Classifiers/*.php') ?: [] as $file) {
                $class = 'Chorometra\\Core\\Classify\\Classifiers\\'.basename($file, '.php');
                if (is_subclass_of($class, Classifier::class) && ! (new \ReflectionClass($class))->isAbstract()) {
                    $found[$class::method()->name] = $class;
                }
            }
            uasort($found, fn (string $one, string $other): int => $one::method()->order <=> $other::method()->order);
            self::$all = $found;
        }

        return self::$all;
    }

    /** @return list<Method> in order */
    public static function methods(): array
    {
        return array_values(array_map(fn (string $class): Method => $class::method(), self::all()));
    }

    /** @return list<string> names of the methods that tell the probability of each class */
    public static function withPosteriors(): array
    {
        return array_column(array_filter(self::methods(), fn (Method $method): bool => $method->hasPosteriors), 'name');
    }

    /** @return list<Setting> of all methods, each shown for those that have it; what several have comes last */
    public static function settings(): array
    {
        $settings = $methods = [];
        foreach (self::methods() as $method) {
            foreach ($method->settings as $setting) {
                $settings[$setting->name] ??= $setting;
                $methods[$setting->name][] = $method->name;
            }
        }

        uksort($settings, fn (string $one, string $other): int => count($methods[$one]) <=> count($methods[$other]));

        return array_values(array_map(
            fn (Setting $setting): Setting => $setting->onlyFor('method='.implode('|', $methods[$setting->name])),
            $settings,
        ));
    }
}
