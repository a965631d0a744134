<?php

namespace Chorometra\Benchmarks;

use Chorometra\Core\Correct\Air\Atmosphere;
use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\Percentiles;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

/**
 * Each of our runs is a process of its own, so that its peak memory is its own; what is timed is the work, not the start of PHP. The
 * reference is one long-lived process. Runs alternate, and medians are told.
 */
final class Bench
{
    private const AIR = ['aerosol' => 'continental', 'aot550' => 0.2, 'water-vapour' => 2.0, 'ozone' => 320.0, 'elevation' => 100.0];

    private string $folder;

    private string $scene;

    /** @var array{mixed, array<int, resource>} */
    private array $python;

    /** @param  list<string>  $only */
    public function __construct(private readonly int $size, private readonly int $runs, private readonly array $only)
    {
        $this->folder = sys_get_temp_dir().'/chorometra-benchmark-'.getmypid();
        Files::folder($this->folder);
        $this->scene = "$this->folder/scene.tif";
    }

    /** @return list<array<string, mixed>> */
    public function run(): array
    {
        try {
            $this->say("making a scene of $this->size x $this->size pixels, 7 bands of 16 bits");
            Scene::make($this->scene, $this->size, new Context(2, $this->folder));
            $process = proc_open(['/usr/bin/python3', __DIR__.'/reference.py'], [['pipe', 'r'], ['pipe', 'w'], STDERR], $pipes);
            $this->python = [$process, $pipes];
            $rows = [];
            foreach (Kernels::NAMES as $name) {
                if ($this->only === [] || in_array('kernels', $this->only, true)) {
                    $rows[] = $this->kernel($name);
                }
            }
            foreach ($this->cases() as $name => $case) {
                if ($this->only === [] || in_array($name, $this->only, true) || ($name === 'draw' && in_array('matrix', $this->only, true))) {
                    $rows[] = $this->row($name, $case);
                }
            }

            return $rows;
        } finally {
            if (isset($this->python)) {
                fclose($this->python[1][0]);
                proc_close($this->python[0]);
            }
            Files::remove($this->folder);
        }
    }

    /** @param  list<array<string, mixed>>  $rows */
    public static function table(array $rows): string
    {
        $lines = [['what', '1 worker s', '2 workers s', 'reference s', 'ratio', 'Mpx/s', 'memory MB', 'agrees']];
        foreach ($rows as $row) {
            $lines[] = [
                $row['what'],
                self::seconds($row['one']),
                self::seconds($row['two']),
                self::seconds($row['reference']),
                $row['ratio'] === null ? '–' : sprintf('%.2f', $row['ratio']),
                sprintf('%.1f', $row['megapixels']),
                $row['memory'] ? (string) $row['memory'] : '–',
                $row['agrees'] === null ? '–' : ($row['agrees'] ? 'yes' : 'NO'),
            ];
        }

        return self::lines($lines);
    }

    /**
     * Rows that have the same keys, as they are.
     *
     * @param  list<array<string, mixed>>  $rows
     */
    public static function plain(array $rows): string
    {
        return self::lines([array_keys($rows[0]), ...array_map(fn (array $row): array => array_map(strval(...), array_values($row)), $rows)]);
    }

    /** @param  list<list<string>>  $lines  the heading first; the first column is flush left */
    private static function lines(array $lines): string
    {
        $widths = array_map(fn (int $column): int => max(array_map(fn (array $line): int => mb_strlen($line[$column]), $lines)), array_keys($lines[0]));
        $out = '';
        foreach ($lines as $i => $line) {
            $out .=
                '| '.
                implode(
                    ' | ',
                    array_map(
                        fn (string $cell, int $column): string => $column === 0
                            ? $cell.str_repeat(' ', $widths[0] - mb_strlen($cell))
                            : str_repeat(' ', $widths[$column] - mb_strlen($cell)).$cell,
                        $line,
                        array_keys($line),
                    ),
                ).
                " |\n";
            $out .=
                $i === 0
                    ? '|'.
                        implode(
                            '|',
                            array_map(
                                fn (int $width, int $column): string => $column === 0 ? str_repeat('-', $width + 2) : str_repeat('-', $width + 1).':',
                                $widths,
                                array_keys($widths),
                            ),
                        ).
                        "|\n"
                    : '';
        }

        return $out;
    }

    private static function seconds(?float $seconds): string
    {
        return $seconds === null ? '–' : sprintf($seconds < 1 ? '%.3f' : '%.2f', $seconds);
    }

    /**
     * What is run: kind (or a function of the core), inputs, settings and outputs; the reference's case, its input, and which output of ours is compared.
     *
     * @return array<string, array<string, mixed>>
     */
    private function cases(): array
    {
        $ndwi = "$this->folder/ndwi.tif";
        $map = "$this->folder/map.tif";

        return [
            'index' => [
                'kind' => 'derive.index',
                'in' => ['image' => $this->scene],
                'set' => ['index' => 'ndwi'],
                'out' => ['result' => $ndwi],
                'reference' => 'index',
                'compare' => $ndwi,
            ],
            'calibrate' => [
                'kind' => 'correct.calibrate',
                'in' => ['image' => $this->scene],
                'set' => [],
                'out' => ['result' => "$this->folder/reflectance.tif"],
                'reference' => 'calibrate',
                'compare' => "$this->folder/reflectance.tif",
            ],
            'slice' => [
                'kind' => 'segment.slice',
                'in' => ['image' => $ndwi],
                'set' => ['limits' => '0'],
                'out' => ['segments' => "$this->folder/segments.tif", 'classes' => $map],
                'reference' => 'slice',
                'compare' => "$this->folder/segments.tif",
                'from' => $ndwi,
            ],
            // a piece of 1024 x 1024, four bands; the reference's segments are others
            'merge' => [
                'kind' => 'segment.merge',
                'in' => ['images:1' => "$this->folder/square.tif"],
                'set' => ['merge-limit' => '40', 'bands' => 'blue,green,red,nir'],
                'out' => ['segments' => "$this->folder/merged.tif"],
                'reference' => 'merge',
                'from' => "$this->folder/square.tif",
                'before' => $this->square(...),
            ],
            // 117,000 segments of 36 pixels over six bands
            'measure' => [
                'kind' => 'segment.measure',
                'in' => ['segments' => "$this->folder/blocks.tif", 'images:1' => "$this->folder/six.tif"],
                'set' => ['measures' => 'pixels,'.implode(',', array_merge(...array_map(
                    fn (string $what): array => array_map(fn (string $band): string => "$what($band)", ['blue', 'green', 'red', 'nir', 'swir1', 'swir2']),
                    ['mean', 'deviation', 'minimum', 'maximum'],
                )))],
                'out' => ['measures' => "$this->folder/measures.npz"],
                'reference' => 'measured',
                'from' => "$this->folder/six.tif",
                'compare' => "$this->folder/measures.npz",
                'before' => $this->blocks(...),
            ],
            // a class map of five slices, and 116,000 segments of 144 pixels
            'fill' => [
                'kind' => 'classify.fill',
                'in' => ['classes' => "$this->folder/map.tif", 'segments' => "$this->folder/large.tif"],
                'set' => [],
                'out' => ['classes' => "$this->folder/filled.tif"],
                'reference' => 'filled',
                'from' => "$this->folder/map.tif",
                'compare' => "$this->folder/filled.tif",
                'before' => $this->map(...),
            ],
            'smooth' => [
                'kind' => 'classify.smooth',
                'in' => ['classes' => "$this->folder/map.tif"],
                'set' => ['size' => '5'],
                'out' => ['classes' => "$this->folder/smooth.tif"],
                'reference' => 'smooth',
                'from' => "$this->folder/map.tif",
                'compare' => "$this->folder/smooth.tif",
                'before' => $this->map(...),
            ],
            'sieve' => [
                'kind' => 'classify.sieve',
                'in' => ['classes' => "$this->folder/map.tif"],
                'set' => ['minimum' => '10'],
                'out' => ['classes' => "$this->folder/sieved.tif"],
                'reference' => 'sieve',
                'from' => "$this->folder/map.tif",
                'before' => $this->map(...),
            ],
            ...array_map(fn (array $told): array => [
                'kind' => $told[0] === null ? 'classify.clusters' : 'classify.teach',
                'in' => ['images' => "$this->folder/$told[2].tif"] + ($told[0] === null ? [] : ['areas' => "$this->folder/areas.geojson"]),
                'set' => $told[0] === null ? $told[1] : ['method' => $told[0], 'test' => 'none'] + $told[1],
                'out' => ['classes' => "$this->folder/taught.tif"],
                'reference' => 'taught',
                'from' => "$this->folder/$told[2].tif",
                'limit' => $told[3],
                // clusters end where they began: only their time is compared
                ...($told[0] === null ? [] : ['compare' => "$this->folder/taught.tif"]),
                'before' => $this->taught(...),
            ], [
                'likelihood' => ['maximum-likelihood', [], 'bands', 1],
                'nearest-mean' => ['nearest-mean', [], 'bands', 2],
                'angle' => ['spectral-angle', [], 'bands', 3],
                'forest' => ['random-forest', ['trees' => '50', 'depth' => '12'], 'bands', 4],
                'neighbours' => ['nearest-neighbours', ['most' => '250', 'standardise' => 'no'], 'bands1024', 5],
                'support-vectors' => ['support-vectors', ['most' => '250', 'standardise' => 'no'], 'bands1024', 7],
                'k-means' => [null, ['standardise' => 'no'], 'bands', 6],
            ]),
            'statistics' => ['kind' => null, 'in' => ['image' => $this->scene], 'set' => [], 'out' => [], 'reference' => 'statistics'],
            'overviews' => [
                'kind' => 'deliver.image',
                'in' => ['image' => $this->scene],
                'set' => ['bands' => 'nir'],
                'out' => ['result' => "$this->folder/copy.tif"],
                'reference' => 'overviews',
                'compare' => "$this->folder/copy.tif",
            ],
            'gather' => [
                'kind' => 'gather.image',
                'in' => ['image' => $this->scene],
                'set' => [],
                'out' => ['result' => "$this->folder/gathered.tif"],
                'reference' => 'gather',
                'compare' => "$this->folder/gathered.tif",
            ],
            'bundle' => [
                'kind' => 'gather.bundle',
                'in' => ['image' => "$this->folder/bundle"],
                'set' => ['groups' => 'multispectral,thermal'],
                'out' => ['result' => "$this->folder/bundled"],
                'before' => $this->bundle(...),
                'reference' => 'bundle',
                'from' => "$this->folder/bundle",
                'compare' => "$this->folder/bundled/multispectral.tif",
            ],
            'reproject' => [
                'kind' => 'gather.reproject',
                'in' => ['image' => "$this->folder/nir.tif"],
                'set' => ['crs' => '3035', 'pixel-size' => '20', 'resampling' => 'cubic'],
                'out' => ['result' => "$this->folder/moved.tif"],
                'reference' => 'reproject',
                'from' => "$this->folder/nir.tif",
                'compare' => "$this->folder/moved.tif",
                'before' => $this->nir(...),
            ],
            'mosaic' => [
                'kind' => 'gather.mosaic',
                'in' => ['images:1' => "$this->folder/left.tif", 'images:2' => "$this->folder/right.tif"],
                'set' => ['overlap' => 'blend'],
                'out' => ['result' => "$this->folder/mosaic.tif"],
                'reference' => 'mosaic',
                'from' => "$this->folder/left.tif",
                'compare' => "$this->folder/mosaic.tif",
                'before' => $this->halves(...),
            ],
            'dark-object' => [
                'kind' => 'correct.dark-object',
                'in' => ['image' => $this->scene],
                'set' => [],
                'out' => ['result' => "$this->folder/dark.tif"],
                'reference' => 'dark',
                'compare' => "$this->folder/dark.tif",
            ],
            'surface' => [
                'kind' => 'correct.surface',
                'in' => ['image' => "$this->folder/toa.tif"],
                'set' => self::AIR,
                'out' => ['result' => "$this->folder/surface.tif"],
                'reference' => 'surface',
                'from' => "$this->folder/toa.tif",
                'compare' => "$this->folder/surface.tif",
                'before' => $this->reflectance(...),
            ],
            'terrain' => [
                'kind' => 'correct.terrain',
                'in' => ['image' => "$this->folder/nir.tif", 'elevation' => "$this->folder/heights.tif"],
                'set' => ['sun-elevation' => '35', 'sun-azimuth' => '150'],
                'out' => ['result' => "$this->folder/even.tif"],
                'reference' => 'terrain',
                'from' => "$this->folder/nir.tif",
                'compare' => "$this->folder/even.tif",
                'before' => $this->heights(...),
            ],
            'formula' => [
                'kind' => 'derive.formula',
                'in' => ['images:1' => $this->scene],
                'set' => ['formula' => '2.5 * (nir - red) / (nir + 6 * red - 7.5 * blue + 1) + 0.1 * green'],
                'out' => ['result' => "$this->folder/formula.tif"],
                'reference' => 'formula',
                'from' => $this->scene,
                'compare' => "$this->folder/formula.tif",
                'before' => $this->nir(...),
            ],
            'mean' => [
                'kind' => 'derive.filter',
                'in' => ['image' => "$this->folder/nir.tif"],
                'set' => ['filter' => 'mean', 'size' => '7'],
                'out' => ['result' => "$this->folder/mean.tif"],
                'reference' => 'mean',
                'from' => "$this->folder/nir.tif",
                'compare' => "$this->folder/mean.tif",
                'before' => $this->nir(...),
            ],
            'gaussian' => [
                'kind' => 'derive.filter',
                'in' => ['image' => "$this->folder/nir.tif"],
                'set' => ['filter' => 'gaussian', 'sigma' => '2'],
                'out' => ['result' => "$this->folder/gaussian.tif"],
                'reference' => 'gaussian',
                'from' => "$this->folder/nir.tif",
                'compare' => "$this->folder/gaussian.tif",
                'before' => $this->nir(...),
            ],
            'median' => [
                'kind' => 'derive.filter',
                'in' => ['image' => "$this->folder/nir.tif"],
                'set' => ['filter' => 'median', 'size' => '5'],
                'out' => ['result' => "$this->folder/median.tif"],
                'reference' => 'median',
                'from' => "$this->folder/nir.tif",
                'compare' => "$this->folder/median.tif",
                'before' => $this->nir(...),
            ],
            'relief' => [
                'kind' => 'derive.terrain',
                'in' => ['elevation' => "$this->folder/heights.tif"],
                'set' => ['measures' => 'slope,shade'],
                'out' => ['result' => "$this->folder/relief.tif"],
                'reference' => 'relief',
                'from' => "$this->folder/heights.tif",
                'compare' => "$this->folder/relief.tif",
                'before' => $this->heights(...),
            ],
            'components' => [
                'kind' => 'derive.components',
                'in' => ['image' => $this->scene],
                'set' => ['bands' => '1,2,3,4,5,6'],
                'out' => ['result' => "$this->folder/components.tif"],
                'reference' => 'components',
                'from' => $this->scene,
                'compare' => "$this->folder/components.tif",
            ],
            'texture' => [
                'kind' => 'derive.texture',
                'in' => ['image' => "$this->folder/nir.tif"],
                'set' => ['measures' => 'contrast,dissimilarity,homogeneity', 'from' => '8000', 'to' => '12000'],
                'out' => ['result' => "$this->folder/texture.tif"],
                'reference' => 'texture',
                'from' => "$this->folder/nir.tif",
                'compare' => "$this->folder/texture.tif",
                'before' => $this->nir(...),
            ],
            // a piece of 256 x 256: the reference looks at each window by itself
            'co-occurrence' => [
                'kind' => 'derive.texture',
                'in' => ['image' => "$this->folder/piece.tif"],
                'set' => ['measures' => 'asm,entropy', 'from' => '8000', 'to' => '12000'],
                'out' => ['result' => "$this->folder/counts.tif"],
                'reference' => 'counts',
                'from' => "$this->folder/piece.tif",
                'compare' => "$this->folder/counts.tif",
                'before' => $this->piece(...),
            ],
            'sharpen' => [
                'kind' => 'derive.sharpen',
                'in' => ['image' => "$this->folder/coarse.tif", 'pan' => "$this->folder/pan.tif"],
                'set' => ['method' => 'components', 'compare' => 'no'],
                'out' => ['result' => "$this->folder/sharp.tif"],
                'reference' => 'sharpen',
                'from' => "$this->folder/pan.tif",
                'compare' => "$this->folder/sharp.tif",
                'before' => $this->coarse(...),
            ],
            'speckle' => [
                'kind' => 'correct.speckle',
                'in' => ['image' => "$this->folder/nir.tif"],
                'set' => ['filter' => 'lee', 'size' => '7', 'looks' => '4'],
                'out' => ['result' => "$this->folder/smooth.tif"],
                'reference' => 'speckle',
                'from' => "$this->folder/nir.tif",
                'compare' => "$this->folder/smooth.tif",
                'before' => $this->nir(...),
            ],
            'coregister' => [
                'kind' => 'correct.coregister',
                'in' => ['moving' => "$this->folder/beside.tif", 'reference' => "$this->folder/nir.tif"],
                'set' => ['points' => '400'],
                'out' => ['result' => "$this->folder/onto.tif"],
                'reference' => 'coregister',
                'from' => "$this->folder/nir.tif",
                'before' => $this->beside(...),
                'value' => fn (array $figures): array => [$figures['shift']['columns'], $figures['shift']['rows']],
            ],
            'picture' => [
                'kind' => 'deliver.image',
                'in' => ['image' => $this->scene],
                'set' => ['as' => 'shown', 'bands' => 'red,green,blue'],
                'out' => ['result' => "$this->folder/shown.tif"],
                'reference' => 'picture',
                'compare' => "$this->folder/shown.tif",
            ],
            'draw' => [
                'kind' => 'assess.draw',
                'in' => ['map' => $map],
                'set' => ['points' => '500'],
                'out' => ['result' => "$this->folder/points.geojson"],
                'reference' => 'draw',
                'from' => $map,
                'value' => fn (array $figures): array => [$figures['points']],
            ],
            'matrix' => [
                'kind' => 'assess.matrix',
                'in' => ['map' => $map, 'points' => "$this->folder/labelled.geojson"],
                'set' => [],
                'out' => ['result' => "$this->folder/matrix.csv"],
                'before' => $this->labels(...),
                'reference' => 'matrix',
                'from' => $map,
                'value' => fn (array $figures): array => [$figures['counted']['overall'] * $figures['points'], $figures['overall']],
            ],
            'draw-apart' => [
                'kind' => 'assess.draw',
                'in' => ['map' => "$this->folder/map.tif"],
                'set' => ['points' => '1000', 'distance' => '200'],
                'out' => ['result' => "$this->folder/apart.geojson"],
                'before' => $this->map(...),
            ],
            ...array_map(fn (array $told): array => [
                'kind' => "compare.$told[0]",
                'in' => ['before' => "$this->folder/early.tif", 'after' => "$this->folder/late.tif"],
                'set' => $told[1],
                'out' => [$told[2] => "$this->folder/change.tif"],
                'reference' => $told[0],
                'from' => "$this->folder/early.tif",
                'compare' => "$this->folder/change.tif",
                'before' => $this->dates(...),
            ], [
                'difference' => ['difference', [], 'difference'],
                'vector' => ['vector', ['bands' => 'red,nir'], 'vector'],
                'mad' => ['mad', ['reweightings' => '5'], 'probability'],
            ]),
            'classes' => [
                'kind' => 'compare.classes',
                'in' => ['maps:1' => "$this->folder/map1.tif", 'maps:2' => "$this->folder/map2.tif"],
                'set' => [],
                'out' => ['changes' => "$this->folder/from-to.tif"],
                'reference' => 'classes',
                'from' => "$this->folder/map1.tif",
                'value' => fn (array $figures): array => [$figures['stayed']],
                'before' => $this->twoMaps(...),
            ],
            'outlines' => [
                'kind' => 'deliver.outlines',
                'in' => ['image' => $map],
                'set' => [],
                'out' => ['result' => "$this->folder/outlines.geojson"],
                'reference' => 'outlines',
                'from' => $map,
            ],
        ];
    }

    /**
     * A loop in memory, one process on both sides.
     *
     * @return array<string, mixed>
     */
    private function kernel(string $name): array
    {
        $ours = [];
        $reference = [];
        $one = $theirs = ['value' => []];
        for ($run = 0; $run < $this->runs; $run++) {
            $this->say("$name, run ".($run + 1));
            $one = $this->apart(fn (): array => Kernels::run($name, $this->scene));
            $theirs = $this->ask(['do' => 'kernel', 'case' => $name, 'in' => $this->scene]);
            $ours[] = $one['seconds'];
            $reference[] = $theirs['seconds'];
        }
        $seconds = (float) self::median($ours);
        $pixels = $this->size * min($this->size, intdiv(4 << 20, $this->size));

        return [
            'what' => "loop: $name",
            'one' => $seconds,
            'two' => $seconds,
            'reference' => self::median($reference),
            'ratio' => $seconds / (float) self::median($reference),
            'megapixels' => $pixels / 1e6 / $seconds,
            'memory' => 0,
            'agrees' => self::near($one['value'], $theirs['value']),
        ];
    }

    /**
     * @param  array<string, mixed>  $case
     * @return array<string, mixed>
     */
    private function row(string $name, array $case): array
    {
        if (isset($case['before'])) {
            $case['before']();
        }
        $times = ['one' => [], 'two' => [], 'reference' => []];
        $memory = 0;
        $value = null;
        $theirs = null;
        for ($run = 0; $run < $this->runs; $run++) {
            foreach (['one' => 1, 'two' => 2] as $key => $workers) {
                $this->say("$name, $workers worker".($workers > 1 ? 's' : '').', run '.($run + 1));
                $ours = $this->ours($case, $workers);
                $times[$key][] = $ours['seconds'];
                $memory = max($memory, $ours['memory']);
                $value = $ours['value'] ?? null;
            }
            if (isset($case['reference'])) {
                $this->say("$name, reference, run ".($run + 1));
                $theirs = $this->ask([
                    'do' => 'run',
                    'case' => $case['reference'],
                    'in' => $case['from'] ?? $this->scene,
                    'out' => "$this->folder/reference.tif",
                    'limit' => $case['limit'] ?? 0,
                ]);
                $times['reference'][] = $theirs['seconds'];
            }
        }
        $agrees = match (true) {
            isset($case['compare']) => $this->ask(['do' => 'agree', 'case' => $name, 'ours' => $case['compare'], 'theirs' => "$this->folder/reference.tif"])[
                'agrees'
            ],
            $name === 'coregister' => $value !== null &&
                abs($value[0] - 2.4) < 0.05 &&
                abs($value[1] - 1.3) < 0.05 &&
                isset($theirs['value']) &&
                abs($theirs['value'][0] - 2.4) < 0.3 &&
                abs($theirs['value'][1] - 1.3) < 0.3,
            $value !== null && isset($theirs['value']) => self::near($value, $theirs['value']),
            default => null,
        };
        [$one, $two, $reference] = array_map(self::median(...), array_values($times));

        // what was measured is not lost where a later row breaks off
        fwrite(
            STDERR,
            sprintf("\r\e[K%s: %.2f s, reference %.2f s, ratio %.2f\n", $name, $two, $reference ?? NAN, $reference === null ? NAN : $two / $reference),
        );

        return [
            'what' => $name,
            'one' => $one,
            'two' => $two,
            'reference' => $reference,
            'ratio' => $reference === null ? null : $two / $reference,
            'megapixels' => $this->size ** 2 / 1e6 / $two,
            'memory' => $memory,
            'agrees' => $agrees,
        ];
    }

    /** The scene in reflectance, and what the air does in each band for the reference, which has no model of it. */
    private function reflectance(): void
    {
        $this->compute('correct.calibrate', ['image' => $this->scene], [], ['result' => "$this->folder/toa.tif"], new Context(2, $this->folder));
        $atmosphere = new Atmosphere(45.0, self::AIR['aerosol'], self::AIR['aot550'], self::AIR['water-vapour'], self::AIR['ozone'], self::AIR['elevation']);
        $air = [];
        foreach ((new GeoTiffImage("$this->folder/toa.tif"))->spec()->bands as $band) {
            $one = $band->isThermal() ? null : $atmosphere->at((float) $band->wavelength, (float) $band->bandwidth);
            $air[] = $one === null ? null : [...$one->line(), $one->spherical];
        }
        Files::write("$this->folder/air.json", (string) json_encode($air, JSON_PRESERVE_ZERO_FRACTION));
    }

    /** One band of the scene. */
    private function nir(): void
    {
        $this->compute('deliver.image', ['image' => $this->scene], ['bands' => 'nir'], ['result' => "$this->folder/nir.tif"], new Context(2, $this->folder));
    }

    /** Some of that band. */
    private function piece(): void
    {
        $this->nir();
        $this->subset("$this->folder/nir.tif", "$this->folder/piece.tif", 256);
    }

    /** Some of all bands. */
    private function square(): void
    {
        $this->subset($this->scene, "$this->folder/square.tif", 1024);
    }

    /** A square with all bands, and blocks of 6 x 6 pixels as segments on its grid. */
    private function blocks(): void
    {
        $this->subset($this->scene, "$this->folder/six.tif", 2048);
        $this->squares("$this->folder/six.tif", "$this->folder/blocks.tif", 6);
    }

    /** Six bands of the scene, and areas in fields of eight levels, of which some are to be learnt from. */
    private function taught(): void
    {
        if (is_file("$this->folder/areas.geojson")) {
            return;
        }
        $set = ['bands' => 'blue,green,red,nir,swir1,swir2'];
        $this->compute('deliver.image', ['image' => $this->scene], $set, ['result' => "$this->folder/rough.tif"], new Context(2, $this->folder));
        // the grain of the scene is coarser than its levels lie apart: smoothed, classes part as those of imagery do
        $this->compute('derive.filter', ['image' => "$this->folder/rough.tif"], ['filter' => 'mean', 'size' => '3'], ['result' => "$this->folder/bands.tif"],
            new Context(2, $this->folder));
        $this->subset("$this->folder/bands.tif", "$this->folder/bands1024.tif", 1024);
        $grid = (new GeoTiffImage($this->scene))->spec()->grid;
        $boxes = $features = $number = [];
        // inside of the square too
        for ($block = 0; $block < 512; $block++) {
            [$x, $row] = [intdiv($this->size, 256) + $block % 8, intdiv($this->size, 2) + 16 * intdiv($block, 8)];
            $col = 128 * $x + 2;
            $level = ($x * 7 + (($row + (int) (40 * sin($row / 300))) >> 7) * 3) % 11;
            if ($level < 8 && ($number[$level] ?? 0) < 7) {
                $number[$level] = ($number[$level] ?? 0) + 1;
                $boxes[] = [$level, $col, $row, 24, 16];
                $corners = [[$col, $row], [$col + 24, $row], [$col + 24, $row + 16], [$col, $row + 16], [$col, $row]];
                $features[] = ['type' => 'Feature', 'properties' => ['class' => "level $level"], 'geometry' => ['type' => 'Polygon', 'coordinates' => [
                    array_map(fn (array $corner): array => $grid->toMap(...$corner), $corners),
                ]]];
            }
        }
        Files::write("$this->folder/areas.json", (string) json_encode($boxes));
        Files::write("$this->folder/areas.geojson", (string) json_encode([
            'type' => 'FeatureCollection', 'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']], 'features' => $features,
        ]));
    }

    private function map(): void
    {
        if (! is_file("$this->folder/map.tif")) {
            $set = ['band' => 'nir', 'limits' => '8000,9500,11000,14000'];
            $this->compute('segment.slice', ['image' => $this->scene], $set, ['classes' => "$this->folder/map.tif"], new Context(2, $this->folder));
            $this->squares($this->scene, "$this->folder/large.tif", 12);
        }
    }

    /** Six bands of the scene, and the same ground under another light with a grain of its own. */
    private function dates(): void
    {
        if (is_file("$this->folder/late.tif")) {
            return;
        }
        $set = ['bands' => 'blue,green,red,nir,swir1,swir2'];
        $this->compute('deliver.image', ['image' => $this->scene], $set, ['result' => "$this->folder/early.tif"], new Context(2, $this->folder));
        $early = new GeoTiffImage("$this->folder/early.tif");
        (new Production(['late' => ['path' => "$this->folder/late.tif", 'spec' => $early->spec()]], function (Window $window) use ($early): array {
            $late = [];
            foreach (array_keys($early->spec()->bands) as $band) {
                $values = Values::of($early, $band, $window);
                foreach ($values as $i => $value) {
                    $values[$i] = round(0.9 * $value + 700.0 + ((($i + $window->row * $window->width) * (7919 + 104_729 * $band)) % 613));
                }
                $late[] = $values;
            }

            return ['late' => $late];
        }, new Context(2, $this->folder)))->run([], 'another date');
    }

    /** Two maps of the same classes. */
    private function twoMaps(): void
    {
        foreach (['map1' => '8000,9500,11000,14000', 'map2' => '8200,9300,11400,13500'] as $name => $limits) {
            $set = ['band' => 'nir', 'limits' => $limits, 'names' => 'a,b,c,d,e'];
            $this->compute('segment.slice', ['image' => $this->scene], $set, ['classes' => "$this->folder/$name.tif"], new Context(2, $this->folder));
        }
    }

    /** Segments that are squares, on the grid of an image. */
    private function squares(string $image, string $path, int $side): void
    {
        $spec = RasterSpec::segments((new GeoTiffImage($image))->spec()->grid);
        $across = intdiv($spec->grid->width + $side - 1, $side);
        (new Production(
            ['result' => ['path' => $path, 'spec' => $spec]],
            fn (Window $window): array => ['result' => [array_map(
                fn (int $i): int => intdiv($window->row + intdiv($i, $window->width), $side) * $across + intdiv($i % $window->width, $side) + 1,
                range(0, $window->pixels() - 1),
            )]],
            new Context(2, $this->folder),
        ))->run([], 'blocks');
    }

    /** A square that begins in the middle. */
    private function subset(string $image, string $path, int $most): void
    {
        $half = 10 * $this->size;
        [$west, $north, $side] = [431_000 + $half, 6_072_000 - $half, 20 * min($most, intdiv($this->size, 2))];
        $bounds = ['bounds' => implode(',', [$west, $north - $side, $west + $side, $north])];
        $this->compute('gather.subset', ['image' => $image], $bounds, ['result' => $path], new Context(2, $this->folder));
    }

    /** A fine band, and six bands on pixels three times as large. */
    private function coarse(): void
    {
        $drawn = function (string $name, Grid $grid, array $roles): void {
            $spec = new RasterSpec($grid, array_map(fn (string $role): Band => new Band($role, unit: 'reflectance'), array_values($roles)));
            (new Production(['result' => ['path' => "$this->folder/$name.tif", 'spec' => $spec]], function (Window $window) use ($grid, $roles): array {
                $pixel = $grid->transform[1] / 20.0;
                $bands = [];
                foreach (array_keys($roles) as $band) {
                    $values = [];
                    for ($y = $window->row; $y < $window->row + $window->height; $y++) {
                        for ($x = 0; $x < $window->width; $x++) {
                            $u = $pixel * ($x + 0.5);
                            $v = $pixel * ($y + 0.5);
                            $values[] = 0.3 + 0.1 * sin($u / 17 + $band) * cos($v / 23) + 0.05 * sin(($u + $v) / 9) + 0.02 * cos($u / 7 - 0.3 * $band);
                        }
                    }
                    $bands[] = $values;
                }

                return ['result' => $bands];
            }, new Context(2, $this->folder)))->run([], $name);
        };
        $side = intdiv($this->size, 3);
        $drawn('pan', new Grid(3 * $side, 3 * $side, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632), ['pan']);
        $drawn('coarse', new Grid($side, $side, [431_000.0, 60.0, 0.0, 6_072_000.0, 0.0, -60.0], 32632), ['blue', 'green', 'red', 'nir', 'swir1', 'swir2']);
    }

    /** A hilly elevation model beside that band. */
    private function heights(): void
    {
        $this->nir();
        $grid = (new GeoTiffImage("$this->folder/nir.tif"))->spec()->grid;
        $spec = new RasterSpec($grid, [new Band(unit: 'm')]);
        (new Production(['result' => ['path' => "$this->folder/heights.tif", 'spec' => $spec]], function (Window $window): array {
            $values = [];
            for ($y = $window->row; $y < $window->row + $window->height; $y++) {
                for ($x = 0; $x < $window->width; $x++) {
                    $values[] = 300 + 120 * sin($x / 17) * cos($y / 23) + 60 * sin(($x + $y) / 9);
                }
            }

            return ['result' => [$values]];
        }, new Context(2, $this->folder)))->run([], 'heights');
    }

    /** That band as if it were taken from 2.4 pixels further west and 1.3 further south. */
    private function beside(): void
    {
        $this->nir();
        $image = new GeoTiffImage("$this->folder/nir.tif");
        $t = $image->spec()->grid->transform;
        $moved = new Grid(
            $image->spec()->grid->width,
            $image->spec()->grid->height,
            [$t[0] - 2.4 * $t[1], $t[1], 0.0, $t[3] - 1.3 * $t[5], 0.0, $t[5]],
            $image->spec()->grid->epsg,
        );
        $warped = new Warped($image, $moved, Resampling::Cubic);
        $spec = $image->spec();
        (new Production(
            ['result' => ['path' => "$this->folder/beside.tif", 'spec' => $spec]],
            fn (Window $window): array => ['result' => [$warped->values(0, $window)]],
            new Context(2, $this->folder),
            5,
        ))->run([], 'beside');
    }

    /** Two parts of that band, which share a fifth of it. */
    private function halves(): void
    {
        $this->nir();
        $grid = (new GeoTiffImage("$this->folder/nir.tif"))->spec()->grid;
        foreach (['left' => [0.0, 0.6], 'right' => [0.4, 1.0]] as $name => [$from, $to]) {
            [$west, $north] = $grid->toMap(floor($from * $grid->width), 0);
            [$east, $south] = $grid->toMap(ceil($to * $grid->width), $grid->height);
            $this->compute(
                'gather.subset',
                ['image' => "$this->folder/nir.tif"],
                ['bounds' => [$west, $south, $east, $north]],
                ['result' => "$this->folder/$name.tif"],
                new Context(2, $this->folder),
            );
        }
    }

    /** The scene as a delivery: a file for each band and a metadata text. */
    private function bundle(): void
    {
        $lines = ['SPACECRAFT = "VELISANDE-1"', 'INSTRUMENT = "QUILLON"', 'SENSED_DATE = 2031-05-12', 'SUN_ELEVATION = 45'];
        foreach ([1, 2, 3, 4, 5, 6, 8] as $index => $number) {
            $this->compute(
                'deliver.image',
                ['image' => $this->scene],
                ['bands' => (string) ($index + 1)],
                ['result' => "$this->folder/bundle/B$number.tif"],
                new Context(2, $this->folder),
            );
            $lines[] = "BAND_{$number}_FILE = \"B$number.tif\"";
        }
        Files::write("$this->folder/bundle/META.txt", implode("\n", $lines));
    }

    /** The points drawn, every seventh said to be of the other class, with the pixel they lie in for the reference. */
    private function labels(): void
    {
        $map = (new GeoTiffImage("$this->folder/map.tif"))->spec();
        $points = json_decode((string) file_get_contents("$this->folder/points.geojson"), true);
        foreach ($points['features'] as $index => &$feature) {
            $code = (int) $map->legend?->codeOf($feature['properties']['stratum']);
            [$x, $y] = GeoJson::toMap(...[...$feature['geometry']['coordinates'], 4326, $map->grid->epsg, 'points.geojson']);
            [$column, $row] = array_map(fn (float $at): int => (int) floor($at), $map->grid->toPixel($x, $y));
            $feature['properties'] = ['label' => $index % 7 === 0 ? 3 - $code : $code, 'row' => $row, 'column' => $column] + $feature['properties'];
        }
        unset($feature);
        Files::write("$this->folder/labelled.geojson", (string) json_encode($points));
    }

    /**
     * @param  array<string, string>  $in
     * @param  array<string, mixed>  $set
     * @param  array<string, string>  $out
     * @return array<string, mixed>
     */
    private function compute(string $id, array $in, array $set, array $out, Context $context): array
    {
        $kind = Registry::get($id);

        return Runner::run($kind, CallOpener::call($kind, $in, $set, $out, $context));
    }

    /**
     * @param  array<string, mixed>  $case
     * @return array<string, mixed>
     */
    private function ours(array $case, int $workers): array
    {
        return $this->apart(function () use ($case, $workers): array {
            $context = new Context($workers, $this->folder);
            $start = hrtime(true);
            if ($case['kind'] === null) {
                $answer = ['value' => self::statistics($case['in']['image'], $context), 'memory' => $context->memory()];
            } else {
                $answer = $this->compute($case['kind'], $case['in'], $case['set'], $case['out'], $context);
                $answer['value'] = isset($case['value']) ? $case['value']($answer) : null;
            }

            return ['seconds' => (hrtime(true) - $start) / 1e9] + array_intersect_key($answer, ['memory' => 1, 'value' => 1]);
        });
    }

    /**
     * In a child, so that its peak of memory is that of this work.
     *
     * @param  \Closure(): array<string, mixed>  $work
     * @return array<string, mixed>
     */
    private function apart(\Closure $work): array
    {
        $pair = stream_socket_pair(STREAM_PF_UNIX, STREAM_SOCK_STREAM, 0);
        assert($pair !== false);
        $pid = pcntl_fork();
        if ($pid === 0) {
            try {
                $answer = $work();
            } catch (\Throwable $error) {
                $answer = ['problem' => $error->getMessage()];
            }
            fwrite($pair[1], json_encode($answer, JSON_THROW_ON_ERROR));
            posix_kill(posix_getpid(), SIGKILL);
        }
        fclose($pair[1]);
        // a long run is no silence
        stream_set_timeout($pair[0], 86_400);
        $answer = json_decode((string) stream_get_contents($pair[0]), true);
        pcntl_waitpid($pid, $status);
        if (! is_array($answer) || isset($answer['problem'])) {
            throw new \RuntimeException(
                'A run broke off: '.($answer['problem'] ?? (pcntl_wifsignaled($status) ? 'signal '.pcntl_wtermsig($status) : 'it said nothing')),
            );
        }

        return $answer;
    }

    /** @return list<float> pixels, least, greatest, mean, deviation, 2nd and 98th percentile, largest bin of 512 */
    private static function statistics(string $scene, Context $context): array
    {
        $image = new GeoTiffImage($scene);
        $histogram = Histogram::of($image, 3, 512, $context, 0);

        return [
            $histogram->pixels,
            $histogram->minimum,
            $histogram->maximum,
            $histogram->moments->mean ?? NAN,
            $histogram->moments?->deviation() ?? NAN,
            ...Percentiles::of($image, 3, [2.0, 98.0], $context),
            max($histogram->counts),
        ];
    }

    /**
     * @param  list<float>  $ours
     * @param  list<float>  $theirs
     */
    private static function near(array $ours, array $theirs): bool
    {
        foreach ($theirs as $i => $value) {
            // percentiles are exact to one count
            if (abs($ours[$i] - $value) > max(1e-9 * abs($value), $i === 5 || $i === 6 ? 1.0 : 0.0, $i === 7 ? 0.01 * $value : 0.0)) {
                return false;
            }
        }

        return true;
    }

    /**
     * @param  array<string, mixed>  $call
     * @return array<string, mixed>
     */
    private function ask(array $call): array
    {
        fwrite($this->python[1][0], json_encode($call)."\n");
        $answer = json_decode((string) fgets($this->python[1][1]), true);
        if (! is_array($answer)) {
            throw new \RuntimeException('The reference broke off.');
        }

        return $answer;
    }

    /** @param  list<float>  $times */
    private static function median(array $times): ?float
    {
        sort($times);

        return $times === [] ? null : $times[intdiv(count($times) - 1, 2)];
    }

    private function say(string $text): void
    {
        if (stream_isatty(STDERR)) {
            fwrite(STDERR, "\r\e[K$text");
        }
    }
}
