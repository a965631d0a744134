<?php

namespace Chorometra\Core\Step;

use Chorometra\Core\Engine\Context;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Within;

/** From names and texts, as the command line and the web application have them, to a checked call. */
final class Opening
{
    /**
     * @param  array<string, string|Image>  $inputs
     * @param  array<string, mixed>  $settings
     * @param  array<string, string>  $outputs
     * @param  string|null  $within  a file with polygons that all rasters are kept to
     */
    public static function call(Kind $kind, array $inputs, array $settings, array $outputs, Context $context, ?string $within = null): Call
    {
        $declaration = $kind->declaration();
        self::known(array_values(array_filter(array_keys($inputs), fn (string $name): bool => $declaration->input($name) === null)), array_map(fn (Port $port): string => $port->name, $declaration->inputs), 'input', $declaration);
        self::known(array_keys($settings), array_map(fn (Setting $setting): string => $setting->name, $declaration->settings), 'setting', $declaration);
        self::known(array_keys($outputs), array_map(fn (Port $port): string => $port->name, $declaration->outputs), 'output', $declaration);
        $values = [];
        foreach ($declaration->settings as $setting) {
            $values[$setting->name] = $setting->value($settings[$setting->name] ?? null);
        }
        foreach ($declaration->outputs as $port) {
            $path = $outputs[$port->name] ?? null;
            if ($path === null && $port->required) {
                throw Problem::call("The output {$port->name} is missing: say where it goes.", $port->name);
            }
            if ($path !== null && $port->type !== PortType::Folder && ! self::ends($path, $port->endings)) {
                throw Problem::call(sprintf('The output %s can\'t be written as %s; it can end in %s.', $port->name, basename($path), implode(', ', $port->endings)), $port->name);
            }
        }
        if ($within !== null && ! file_exists($within)) {
            throw Problem::input("There is no file $within, which was to keep the step within an area.", 'within');
        }
        $area = $within === null ? null : Vectors::read($within);
        $opened = [];
        foreach ($inputs as $name => $input) {
            $port = $declaration->input($name);
            assert($port !== null);
            if (is_string($input) && ! file_exists($input)) {
                throw Problem::input("There is no file $input (input $name).", $name);
            }
            $opened[$name] = is_string($input) && $port->type->isRaster() ? new GeoTiffImage($input) : $input;
            if ($area !== null && $opened[$name] instanceof Image) {
                $opened[$name] = Within::polygons($opened[$name], $area, 'within', $context);
            }
        }
        foreach ($declaration->inputs as $port) {
            if ($port->required && array_filter(array_keys($opened), fn (string $name): bool => $declaration->input($name) === $port) === []) {
                throw Problem::call("The input {$port->name} is missing: {$port->help}", $port->name);
            }
        }

        return new Call($declaration, $opened, $values, $outputs, $context);
    }

    /**
     * @param  list<string>  $given
     * @param  list<string>  $known
     */
    private static function known(array $given, array $known, string $what, Declaration $declaration): void
    {
        foreach ($given as $name) {
            if (! in_array($name, $known, true)) {
                throw Problem::call(sprintf('%s has no %s “%s”; it has %s.', $declaration->id, $what, $name, $known === [] ? 'none' : implode(', ', $known)), $name);
            }
        }
    }

    /** @param  list<string>  $endings */
    private static function ends(string $path, array $endings): bool
    {
        foreach ($endings as $ending) {
            if (str_ends_with(strtolower($path), $ending)) {
                return true;
            }
        }

        return false;
    }
}
