<?php

namespace Chorometra\Core\Engine;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\GeoTiffWriter;
use Chorometra\Core\Format\GeoTiff\TileStore;
use Chorometra\Core\Format\PngWriter;
use Chorometra\Core\Format\Stac\Sidecar;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Workers;

/**
 * Makes rasters from a function over row blocks, on all workers.
 *
 * A task is one row of tiles. It is computed in blocks of rows that keep memory bounded, packed into tiles, and reduced for the
 * overviews while its pixels are at hand. The files come together in tile order, so they are the same to the byte however many work.
 */
final class Production
{
    /** Values that may be unpacked at a time, over all bands of a block. */
    private const BLOCK_VALUES = 3 << 20;

    /** @var array<string, array<int, array<int, Moments>>> by output, band and row of tiles */
    private array $moments = [];

    /** @var array<string, array<int, int>> pixels by output and code */
    private array $counts = [];

    /** @var array<string, array<int, array<int, float>>> square metres by output, row of tiles and code, where pixels differ in size */
    private array $areas = [];

    private ?Ground $ground = null;

    /**
     * @param  array<string, array{path: string, spec: RasterSpec}>  $outputs  all of one size
     * @param  \Closure(Window): array<string, list<list<float>|list<int>|string>>  $compute  rows of pixels to the bands of each output; a string
     *   holds raw samples, of segments and classes
     * @param  int  $inputs  bands unpacked at a time by $compute
     * @param  \Closure(int, int, int): ?string|null  $stored  packed tiles of the one output, by band, column and row, where they need no packing
     */
    public function __construct(
        private readonly array $outputs,
        private readonly \Closure $compute,
        private readonly Context $context,
        private readonly int $inputs = 1,
        private readonly bool $deflate = true,
        private readonly ?\Closure $stored = null,
    ) {}

    /**
     * Writes all outputs, each with its sidecar.
     *
     * @param  array<string, mixed>  $made  the step, for the sidecars
     * @return array<string, mixed> figures by output
     *
     * @throws Problem where the disk has no room, or no output is named
     */
    public function run(array $made, string $doing): array
    {
        $grid = (array_values($this->outputs)[0] ?? throw Problem::call('Name an output.'))['spec']->grid;
        $this->room();
        $this->ground = Ground::of($grid);
        $folder = $this->context->folder().'/'.bin2hex(random_bytes(4));
        Files::folder($folder);
        $rows = intdiv($grid->height + GeoTiffWriter::TILE - 1, GeoTiffWriter::TILE);
        $stores = [];
        $writers = [];
        foreach ($this->outputs as $name => ['spec' => $spec]) {
            $writers[$name] = new StripWriter($spec, "$folder/$name", $this->deflate, $this->deflate ? $this->stored : null);
            $stores[$name] = new TileStore($writers[$name]->tiles(0));
        }
        Workers::run($rows, $this->context->part(0.0, 0.88), $doing, function (int $row) use ($writers, $grid): array {
            $height = min(GeoTiffWriter::TILE, $grid->height - $row * GeoTiffWriter::TILE);

            return $this->strip($writers, new Window(0, $row * GeoTiffWriter::TILE, $grid->width, $height), $row);
        }, function (int $row, mixed $answer) use ($stores): void {
            foreach ($answer as $name => $part) {
                if ($row < 0) {
                    $stores[$name]->add($part['file'], $part['index']);
                } else {
                    $this->collect($name, $row, $part);
                }
            }
        }, fn (): array => array_map(fn (StripWriter $writer): array => $writer->finish(), $writers));

        $reduced = $this->overviews($writers);
        $report = [];
        $index = 0;
        $stages = [];
        try {
            foreach ($this->outputs as $name => ['path' => $path, 'spec' => $spec]) {
                $this->context->report(0.96 + 0.04 * $index++ / count($this->outputs), 'writing '.basename($path));
                $levels = [['width' => $grid->width, 'height' => $grid->height, 'tiles' => $stores[$name]], ...$reduced[$name]];
                $stages[$path] = $path.'.'.getmypid().'.part';
                $staged = $stages[$path].'/'.basename($path);
                $isPicture = str_ends_with(strtolower($path), '.png');
                $raster = $isPicture ? "$folder/$name.tif" : $staged;
                GeoTiffWriter::write($raster, $spec, $levels, $this->deflate);
                Sidecar::write($raster, $spec, $made);
                if ($isPicture) {
                    PngWriter::write($staged, new GeoTiffImage($raster));
                }
                $report[$name] = $this->figures($name, $spec);
            }
            // all outputs or none: they take their places when the last is whole
            foreach ($stages as $path => $stage) {
                Files::moveFolder($stage, dirname($path));
            }
        } finally {
            array_map(Files::remove(...), [...array_values($stages), $folder]);
        }

        return $report;
    }

    /**
     * Overviews from what all workers laid down, on all workers too.
     *
     * @param  array<string, StripWriter>  $writers
     * @return array<string, list<array{width: int, height: int, tiles: TileStore}>>
     */
    private function overviews(array $writers): array
    {
        $levels = [];
        $rows = [];
        foreach ($writers as $name => $writer) {
            $levels[$name] = [];
            foreach ($writer->overviews() as $index => [$width, $height]) {
                $levels[$name][] = ['width' => $width, 'height' => $height, 'tiles' => new TileStore($writer->tiles($index + 1))];
            }
            foreach ($writer->overviewRows() as $row) {
                $rows[] = [$name, ...$row];
            }
        }
        Workers::run(count($rows), $this->context->part(0.88, 0.96), 'packing overviews', function (int $k) use ($rows, $writers): bool {
            [$name, $level, $band, $row] = $rows[$k];
            $writers[$name]->packOverview($level, $band, $row);

            return true;
        }, function (int $k, mixed $answer) use ($levels): void {
            foreach ($k < 0 ? $answer : [] as $name => $parts) {
                foreach ($parts as $level => ['file' => $file, 'index' => $index]) {
                    $levels[$name][$level - 1]['tiles']->add($file, $index);
                }
            }
        }, fn (): array => array_map(fn (StripWriter $writer): array => $writer->finishOverviews(), $writers));

        return $levels;
    }

    /**
     * @param  array<string, StripWriter>  $writers
     * @return array<string, mixed>
     */
    private function strip(array $writers, Window $strip, int $row): array
    {
        $bands = $this->inputs;
        foreach ($this->outputs as ['spec' => $spec]) {
            $bands += count($spec->bands);
        }
        $step = max(1, min($strip->height, intdiv(self::BLOCK_VALUES, $strip->width * $bands)));
        $answer = [];
        foreach ($writers as $writer) {
            $writer->begin($row);
        }
        for ($y = 0; $y < $strip->height; $y += $step) {
            $window = new Window(0, $strip->row + $y, $strip->width, min($step, $strip->height - $y));
            foreach (($this->compute)($window) as $name => $planes) {
                $spec = $this->outputs[$name]['spec'];
                foreach ($planes as $band => $values) {
                    if (is_string($values)) {
                        $this->counted($answer, $name, $values, $spec, $window);
                    } else {
                        $values = $this->noted($answer, $name, $band, $values, $spec, $window);
                    }
                    $writers[$name]->put($band, $values, $window->height);
                }
            }
        }
        foreach ($writers as $writer) {
            $writer->end();
        }

        return $answer;
    }

    /**
     * Counts what is written; what is infinite, or beyond what a sample can hold, becomes nodata.
     *
     * @param  array<string, mixed>  $answer
     * @param  list<float>|list<int>  $values
     * @return list<float>|list<int>
     */
    private function noted(array &$answer, string $name, int $band, array $values, RasterSpec $spec, Window $window): array
    {
        if ($spec->content === Content::Classes) {
            // @phpstan-ignore argument.type (codes are whole numbers)
            foreach (array_count_values($values) as $code => $count) {
                $answer[$name]['counts'][$code] = ($answer[$name]['counts'][$code] ?? 0) + $count;
            }
            if ($this->ground !== null && ! $this->ground->keepsAreas) {
                // @phpstan-ignore argument.type (codes are whole numbers)
                foreach (self::areas($values, $window, $this->ground) as $code => $area) {
                    $answer[$name]['areas'][$code] = ($answer[$name]['areas'][$code] ?? 0.0) + $area;
                }
            }
        } elseif ($spec->content === Content::Image) {
            $moments = Moments::of($values);
            [$least, $greatest] = $spec->type->range();
            if ($moments->infinite > 0 || ($spec->type->isFloat() && ($moments->minimum < $least || ($moments->maximum > $greatest && $moments->count > 0)))) {
                $values = array_map(fn (float|int $value): float => $value >= $least && $value <= $greatest ? (float) $value : NAN, $values);
                $cleaned = Moments::of($values);
                $moments = $cleaned->merge(new Moments(infinite: $moments->infinite + $moments->count - $cleaned->count));
            }
            $answer[$name]['moments'][$band] = ($answer[$name]['moments'][$band] ?? new Moments)->merge($moments);
        }

        return $values;
    }

    /**
     * Counts raw samples of classes.
     *
     * @param  array<string, mixed>  $answer
     */
    private function counted(array &$answer, string $name, string $bytes, RasterSpec $spec, Window $window): void
    {
        if ($spec->content !== Content::Classes) {
            return;
        }
        if ($spec->type !== SampleType::UInt8 || ($this->ground !== null && ! $this->ground->keepsAreas)) {
            $this->noted($answer, $name, 0, Codec::codes($bytes, $spec->type), $spec, $window);

            return;
        }
        foreach (count_chars($bytes, 1) as $code => $count) {
            $answer[$name]['counts'][$code] = ($answer[$name]['counts'][$code] ?? 0) + $count;
        }
    }

    /**
     * @param  list<int>  $codes
     * @return array<int, float> square metres by code
     */
    private static function areas(array $codes, Window $window, Ground $ground): array
    {
        $areas = [];
        for ($row = 0; $row < $window->height; $row++) {
            foreach ($ground->pieces($window->row + $row) as [$col, $count, $area]) {
                foreach (array_count_values(array_slice($codes, $row * $window->width + $col, $count)) as $code => $number) {
                    $areas[$code] = ($areas[$code] ?? 0.0) + $number * $area;
                }
            }
        }

        return $areas;
    }

    /** @param  array<string, mixed>  $part */
    private function collect(string $name, int $row, array $part): void
    {
        foreach ($part['moments'] ?? [] as $band => $moments) {
            $this->moments[$name][$band][$row] = $moments;
        }
        foreach ($part['counts'] ?? [] as $code => $count) {
            $this->counts[$name][$code] = ($this->counts[$name][$code] ?? 0) + $count;
        }
        if (isset($part['areas'])) {
            $this->areas[$name][$row] = $part['areas'];
        }
    }

    /** @return array<string, mixed> */
    private function figures(string $name, RasterSpec $spec): array
    {
        $figures = [];
        foreach ($this->moments[$name] ?? [] as $band => $strips) {
            // always in the order of rows: sums are the same however many worked
            ksort($strips);
            $whole = new Moments;
            foreach ($strips as $moments) {
                $whole = $whole->merge($moments);
            }
            $figures['bands'][] = ['band' => $spec->bands[$band]->label($band + 1), 'unit' => $spec->bands[$band]->unit] + $whole->figures();
        }
        if (isset($this->counts[$name])) {
            ksort($this->counts[$name]);
            $valid = array_sum($this->counts[$name]) - ($this->counts[$name][(int) $spec->nodata] ?? 0);
            $hectares = $this->ground === null ? [] : $this->ground->hectares($this->counts[$name], $this->covered($name));
            $ground = array_sum(array_diff_key($hectares, [(int) $spec->nodata => 0.0]));
            foreach ($this->counts[$name] as $code => $count) {
                if ($code !== (int) $spec->nodata) {
                    // of the ground where it is known: pixels of one map may differ in size
                    $share = isset($hectares[$code]) && $ground > 0.0 ? $hectares[$code] / $ground : $count / max(1, $valid);
                    $figures['classes'][] = ['code' => $code, 'class' => $spec->legend?->name($code) ?? "class $code", 'pixels' => $count, 'share' => $share] +
                        (isset($hectares[$code]) ? ['hectares' => $hectares[$code]] : []);
                }
            }
        }

        return $figures;
    }

    /** @return array<int, float>|null square metres by code, where pixels differ in size */
    private function covered(string $name): ?array
    {
        if (! isset($this->areas[$name])) {
            return null;
        }
        ksort($this->areas[$name]);
        $covered = [];
        foreach ($this->areas[$name] as $areas) {
            foreach ($areas as $code => $area) {
                $covered[$code] = ($covered[$code] ?? 0.0) + $area;
            }
        }

        return $covered;
    }

    /** Refuses before the work when the disk can't hold the result. */
    private function room(): void
    {
        $needed = 0;
        $folder = '';
        foreach ($this->outputs as ['path' => $path, 'spec' => $spec]) {
            Files::folder($folder = dirname($path));
            // deflated data are seldom above three quarters; tiles lie twice for a moment
            $needed += (int) (1.5 * $spec->grid->width * $spec->grid->height * count($spec->bands) * $spec->type->bytes());
        }
        $free = @disk_free_space($folder);
        if ($free !== false && $free < $needed) {
            throw Problem::computation(
                sprintf(
                    'The disk that the result goes to has %d MB left and it may take %d MB: free some space, then run the step again.',
                    $free >> 20,
                    $needed >> 20,
                ),
            );
        }
    }
}
