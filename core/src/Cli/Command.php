<?php

namespace Chorometra\Core\Cli;

use Chorometra\Core\Compare\Change\Proposal;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Gather\Intake\FileProbe;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Scratch;

/** bin/chorometra: steps, describe, inspect, run. Exit status 0 done, 1 computation failed, 2 the call is wrong, 3 an input does not fit. */
final class Command
{
    private const USAGE = <<<'TEXT'
        bin/chorometra steps [--json]                       the kinds
        bin/chorometra describe KIND [--json]               one kind's inputs, settings, outputs, source
        bin/chorometra inspect PATH [--limits] [--json]     what a file holds; of an image of change, limits proposed from its histograms
        bin/chorometra run KIND [--help] --in NAME=PATH … --set NAME=VALUE … --out NAME=PATH … [--within AREA] [--report PATH] [--workers N] [--quiet]
        bin/chorometra --version

        TEXT;

    private const VERSION = '1.0.0';

    /** @param  list<string>  $arguments */
    public static function main(array $arguments): int
    {
        try {
            return self::command(array_shift($arguments), $arguments);
        } catch (Problem $problem) {
            fwrite(STDERR, $problem->getMessage()."\n");

            return $problem->status;
        } catch (\Throwable $error) {
            fwrite(STDERR, 'The computation failed: '.$error->getMessage().' ('.basename($error->getFile()).':'.$error->getLine().").\n");

            return 1;
        }
    }

    /** @param  list<string>  $arguments */
    private static function command(?string $name, array $arguments): int
    {
        return match ($name) {
            'steps' => self::steps($arguments),
            'describe' => self::describe($arguments),
            'inspect' => self::inspect($arguments),
            'run' => self::run($arguments),
            null, 'help', '--help', '-h' => self::say(self::USAGE),
            '--version', '-V' => self::say('Chorometra '.self::VERSION."\n"),
            default => throw Problem::call('Unknown command; the commands are steps, describe, inspect and run.'),
        };
    }

    /** @param  list<string>  $arguments */
    private static function steps(array $arguments): int
    {
        $json = self::flag($arguments, '--json');
        self::nothingElse($arguments);
        $kinds = array_map(fn ($kind): Declaration => $kind->declaration(), array_values(Registry::all()));
        if ($json) {
            return self::json(
                array_map(
                    fn (Declaration $kind): array => [
                        'id' => $kind->id,
                        'stage' => $kind->stage->value,
                        'title' => $kind->title,
                        'sentence' => $kind->sentence,
                    ],
                    $kinds,
                ),
            );
        }
        foreach ($kinds as $kind) {
            self::say(sprintf("%-20s %s\n", $kind->id, $kind->sentence));
        }

        return 0;
    }

    /** @param  list<string>  $arguments */
    private static function describe(array $arguments): int
    {
        $json = self::flag($arguments, '--json');
        $id = array_shift($arguments) ?? throw Problem::call('Which kind of step? `bin/chorometra steps` lists them.');
        self::nothingElse($arguments);
        $kind = Registry::get($id)->declaration();
        if ($json) {
            return self::json($kind->toArray());
        }
        self::say("$kind->id: $kind->title\n$kind->sentence\n\ninputs\n");
        foreach ($kind->inputs as $port) {
            self::say(
                sprintf(
                    "  %-16s %s%s%s\n",
                    $port->name,
                    $port->help,
                    $port->required ? '' : ' (may be left out)',
                    $port->many ? ' (several: --in again for each, or separated by commas)' : '',
                ),
            );
        }
        self::say($kind->settings === [] ? '' : "\nsettings\n");
        foreach ($kind->settings as $setting) {
            self::say(sprintf("  %-16s %s%s\n", $setting->name, $setting->help, self::range($setting)));
            foreach ($setting->meanings as $choice => $meaning) {
                self::say(sprintf("  %-16s   %s: %s\n", '', $choice, $meaning));
            }
        }
        self::say("\noutputs\n");
        foreach ($kind->outputs as $port) {
            self::say(sprintf("  %-16s %s %s\n", $port->name, $port->help, implode(' ', $port->endings)));
        }

        self::say("\nexample".($kind->example->needs === null ? '' : " (with {$kind->example->needs})")."\n  {$kind->example->line($kind)}\n");

        return self::say("\nsource\n  $kind->source\n");
    }

    /** @param  list<string>  $arguments */
    private static function inspect(array $arguments): int
    {
        $json = self::flag($arguments, '--json');
        $wantsLimits = self::flag($arguments, '--limits');
        $path = array_shift($arguments) ?? throw Problem::call('Which file?');
        self::nothingElse($arguments);
        $identity = FileProbe::of($path);
        $facts = ['what' => $identity->what, 'taken-in-by' => $identity->kind] +
            ($identity->what === 'GeoTIFF' ? self::of(new GeoTiffImage($path)) : $identity->facts) + ['lacks' => $identity->lacks ?: null];
        if ($wantsLimits) {
            $facts['limits'] = self::limits(new GeoTiffImage($path));
        }
        if ($json) {
            return self::json($facts);
        }
        foreach ($facts as $name => $value) {
            self::say(
                sprintf(
                    "%-12s %s\n",
                    $name,
                    is_scalar($value) || $value === null ? (string) ($value ?? '–') : json_encode($value, JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES),
                ),
            );
        }

        return 0;
    }

    /**
     * Limits of change by band, from all pixels.
     *
     * @return array<string, list<array<string, mixed>>>
     */
    private static function limits(GeoTiffImage $image): array
    {
        $found = [];
        foreach ($image->spec()->bands as $k => $band) {
            $both = in_array($band->scale(), [Scale::Signed, Scale::Ratio], true);
            $found[$band->label($k + 1)] = Proposal::of(Histogram::of($image, $k, Proposal::BINS, mostPixels: 0), $both);
        }

        return $found;
    }

    /** @return array<string, mixed> */
    private static function of(GeoTiffImage $image): array
    {
        return self::facts($image->spec(), $image->levels());
    }

    /**
     * @param  list<array{int, int}>  $levels
     * @return array<string, mixed>
     */
    public static function facts(RasterSpec $spec, array $levels): array
    {
        return [
            'width' => $spec->grid->width,
            'height' => $spec->grid->height,
            'bands' => count($spec->bands),
            'type' => $spec->type->value,
            'nodata' => $spec->nodata === null ? null : (is_nan($spec->nodata) ? 'nan' : $spec->nodata),
            'epsg' => $spec->grid->epsg,
            'transform' => $spec->grid->transform,
            'content' => $spec->content->value,
            'roles' => array_map(fn ($band) => $band->role, $spec->bands),
            'overviews' => array_slice($levels, 1),
            'legend' => $spec->legend?->toArray(),
            'properties' => $spec->properties ?: null,
        ];
    }

    /** @param  list<string>  $arguments */
    private static function run(array $arguments): int
    {
        $id = array_shift($arguments) ?? throw Problem::call('Which kind of step? `bin/chorometra steps` lists them.');
        if (array_intersect($arguments, ['--help', '-h']) !== []) {
            return self::describe([$id]);
        }
        $kind = Registry::get($id);
        $quiet = self::flag($arguments, '--quiet');
        $pairs = ['--in' => [], '--set' => [], '--out' => []];
        $options = ['--report' => null, '--workers' => '2', '--within' => null];
        while (($name = array_shift($arguments)) !== null) {
            $value = array_shift($arguments) ?? throw Problem::call("$name needs a value.");
            if (isset($pairs[$name])) {
                if (! str_contains($value, '=')) {
                    throw Problem::call("$name expects NAME=VALUE, not “{$value}”.");
                }
                [$key, $text] = explode('=', $value, 2);
                if ($name === '--in' && ! str_contains($key, ':') && $kind->declaration()->input($key)?->many === true) {
                    foreach (file_exists($text) ? [$text] : explode(',', $text) as $one) {
                        $pairs[$name][
                            "$key:".(1 + count(array_filter(array_keys($pairs[$name]), fn (string $given): bool => str_starts_with($given, "$key:"))))
                        ] = $one;
                    }

                    continue;
                }
                if (isset($pairs[$name][$key])) {
                    throw Problem::call("$name $key is given twice.");
                }
                $pairs[$name][$key] = $text;
            } elseif (array_key_exists($name, $options)) {
                $options[$name] = $value;
            } else {
                throw Problem::call("Unknown option $name; the options are --in, --set, --out, --within, --report, --workers and --quiet.");
            }
        }
        if (! ctype_digit((string) $options['--workers']) || (int) $options['--workers'] < 1 || (int) $options['--workers'] > 64) {
            throw Problem::call('--workers expects a whole number from 1 to 64.');
        }
        $terminal = ! $quiet && stream_isatty(STDERR);
        $stopped = false;
        pcntl_async_signals(true);
        foreach ([SIGINT, SIGTERM] as $signal) {
            pcntl_signal($signal, function () use (&$stopped): void {
                $stopped = true;
            });
        }
        $context = new Context((int) $options['--workers'], null, $terminal ? function (float $share, string $doing): void {
            fprintf(STDERR, "\r\e[K%3d %%  %s", (int) (100 * $share), $doing);
        } : null, function () use (&$stopped): bool {
            return $stopped;
        });
        Scratch::sweep(sys_get_temp_dir());
        try {
            $figures = Runner::run($kind, CallOpener::call($kind, $pairs['--in'], $pairs['--set'], $pairs['--out'], $context, $options['--within']));
        } finally {
            if ($terminal) {
                fwrite(STDERR, "\r\e[K");
            }
        }
        foreach ($kind->declaration()->settings as $setting) {
            $caution = $setting->caution($pairs['--set'][$setting->name] ?? null);
            if ($caution !== null) {
                fwrite(STDERR, "$caution\n");
            }
        }
        if (isset($figures['warning'])) {
            fwrite(STDERR, "{$figures['warning']}\n");
        }
        $report =
            json_encode(
                ['kind' => $id, 'settings' => $pairs['--set']] + $figures,
                JSON_PRETTY_PRINT | JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_PARTIAL_OUTPUT_ON_ERROR,
            )."\n";
        if ($options['--report'] === '-') {
            self::say($report);
        } elseif ($options['--report'] !== null) {
            Files::write($options['--report'], $report);
        }

        return 0;
    }

    private static function range(Setting $setting): string
    {
        $parts = [];
        if ($setting->choices !== []) {
            $parts[] = implode(' ', $setting->choices);
        }
        if ($setting->least !== null || $setting->most !== null) {
            $parts[] = trim(($setting->least ?? '').' … '.($setting->most ?? ''));
        }
        if ($setting->unit !== null) {
            $parts[] = $setting->unit;
        }
        $default = is_array($setting->default)
            ? implode(',', $setting->default)
            : (is_bool($setting->default)
                ? ($setting->default
                    ? 'yes'
                    : 'no')
                : $setting->default);
        if ($default !== null && $default !== '') {
            $parts[] = 'default '.(is_scalar($default) ? $default : '');
        }

        return $parts === [] ? '' : ' ['.implode('; ', $parts).']';
    }

    /** @param  list<string>  $arguments */
    private static function flag(array &$arguments, string $name): bool
    {
        $left = array_values(array_diff($arguments, [$name]));
        $found = count($left) < count($arguments);
        $arguments = $left;

        return $found;
    }

    /** @param  list<string>  $arguments */
    private static function nothingElse(array $arguments): void
    {
        if ($arguments !== []) {
            throw Problem::call("“{$arguments[0]}” means nothing here.");
        }
    }

    /** What is no number is told as nothing, what is no text with marks in its place: there is always an answer. */
    private static function json(mixed $value): int
    {
        $value = [$value];
        array_walk_recursive($value, function (mixed &$one): void {
            $one = is_float($one) && ! is_finite($one) ? null : $one;
        });
        $value = $value[0];

        return self::say(json_encode($value, JSON_PRETTY_PRINT | JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE | JSON_PRESERVE_ZERO_FRACTION
            | JSON_INVALID_UTF8_SUBSTITUTE | JSON_THROW_ON_ERROR)."\n");
    }

    private static function say(string $text): int
    {
        // whoever reads has had enough, as head has: that is no trouble
        if (@fwrite(STDOUT, $text) === false) {
            exit(0);
        }

        return 0;
    }
}
