<?php

/*
 * What every kind takes on a large image: its example on rasters of --size pixels each way, with two workers, each in a process of its own. Inputs are
 * those of the tests, each of their pixels repeated. bin/benchmark memory [--size 7800] [--only segment.slice,derive.texture]
 */

use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\Samples;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

require __DIR__.'/../vendor/autoload.php';

final class LargeExamples
{
    use Samples;

    /** Pixels of a sample each way. */
    private const SMALL = 78;

    public function __construct(private readonly string $folder, private readonly int $size) {}

    /** @return array{seconds: float, memory: int} of the example of a kind */
    public function run(string $id): array
    {
        $kind = Registry::get($id);
        $declaration = $kind->declaration();
        $inputs = $this->inputs($declaration);
        $settings = $declaration->settings($declaration->example->settings);
        $outputs = [];
        foreach (array_filter($declaration->outputs, fn (Port $port): bool => $port->isMade($settings, array_keys($inputs))) as $port) {
            $outputs[$port->name] = "$this->folder/out/$port->name".($port->type === PortType::Folder ? '' : $port->endings[0]);
        }
        try {
            $call = CallOpener::call($kind, $inputs, $declaration->example->settings, $outputs, new Context(2, $this->folder));
            $figures = Runner::run($kind, $call);

            return ['seconds' => $figures['seconds'], 'memory' => $figures['memory']];
        } finally {
            Files::remove("$this->folder/out");
        }
    }

    /** Whether the kind reads rasters that can be made here. */
    public static function applies(Declaration $declaration): bool
    {
        $types = array_map(fn (Port $port): bool => $port->type->isRaster(), $declaration->example->inputs($declaration));

        return $declaration->example->needs === null && in_array(true, $types, true);
    }

    /** @return array<string, string> */
    public function inputs(Declaration $declaration): array
    {
        $inputs = [];
        foreach ($declaration->example->inputs($declaration) as $name => $port) {
            $path = $this->sample($port->sample(), self::SMALL, self::SMALL, number: (int) (explode(':', $name)[1] ?? 1));
            $inputs[$name] = str_ends_with($path, '.tif') ? $this->large($path) : $path;
        }

        return $inputs;
    }

    private function large(string $path): string
    {
        $large = str_replace('.tif', "-$this->size.tif", $path);
        if (is_file($large)) {
            return $large;
        }
        $image = new GeoTiffImage($path);
        $spec = $image->spec();
        $times = intdiv($this->size, self::SMALL);
        $t = $spec->grid->transform;
        $grid = new Grid(
            $spec->grid->width * $times,
            $spec->grid->height * $times,
            [$t[0], $t[1] / $times, $t[2] / $times, $t[3], $t[4] / $times, $t[5] / $times],
            $spec->grid->epsg,
        );
        (new Production(
            ['result' => ['path' => $large, 'spec' => $spec->with(grid: $grid)]],
            fn (Window $window): array => ['result' => array_map(
                fn (int $band): array => self::repeated($image, $band, $window, $times),
                array_keys($spec->bands),
            )],
            new Context(2, $this->folder),
            count($spec->bands),
        ))->run(['kind' => 'large', 'inputs' => [], 'settings' => []], 'repeating pixels');

        return $large;
    }

    /** @return list<float>|list<int> */
    private static function repeated(Image $image, int $band, Window $window, int $times): array
    {
        $values = [];
        for ($row = $window->row; $row < $window->row + $window->height; $row++) {
            $small = new Window(0, intdiv($row, $times), $image->spec()->grid->width, 1);
            $own = $image->spec()->content === Content::Image ? Values::of($image, $band, $small) : Values::codes($image, $small);
            foreach ($own as $value) {
                for ($i = 0; $i < $times; $i++) {
                    $values[] = $value;
                }
            }
        }

        return $values;
    }
}

/** @var array<string, string> $options */
$options = getopt('', ['size:', 'only:', 'one:', 'folder:']);
$size = max(78, (int) ($options['size'] ?? 7800));
if (isset($options['one'], $options['folder'])) {
    try {
        echo json_encode((new LargeExamples($options['folder'], $size))->run($options['one'])), "\n";
    } catch (Problem $problem) {
        echo json_encode(['problem' => $problem->getMessage()]), "\n";
    }
    exit;
}
$only = array_filter(explode(',', $options['only'] ?? ''));
$folder = sys_get_temp_dir().'/chorometra-memory-'.getmypid();
Files::folder($folder);
register_shutdown_function(fn () => Files::remove($folder));
foreach (Registry::all() as $id => $kind) {
    if (! LargeExamples::applies($kind->declaration()) || ($only !== [] && ! in_array($id, $only, true))) {
        continue;
    }
    // inputs that a raster twice as fine belongs to are made half as large
    $isDouble = in_array('pan', array_map(fn (Port $port): string => $port->sample(), $kind->declaration()->example->inputs($kind->declaration())), true);
    $own = intdiv($size, $isDouble ? 2 : 1);
    (new LargeExamples($folder, $own))->inputs($kind->declaration());
    $answer = shell_exec(implode(' ', array_map(escapeshellarg(...), [PHP_BINARY, __FILE__, "--one=$id", "--folder=$folder", "--size=$own"])));
    $took = json_decode((string) $answer, true);
    echo isset($took['memory']) ? sprintf("%-24s %6d MB %8.1f s\n", $id, $took['memory'], $took['seconds']) : "$id: ".($took['problem'] ?? 'broke off')."\n";
}
