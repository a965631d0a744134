<?php

namespace Chorometra\Core\Tests;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\RasterReader;
use Chorometra\Core\Format\Vector\FeatureWriter;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Work\Context;

final class DocsTest extends TestCase
{
    private static function page(string $name): string
    {
        return (string) file_get_contents(dirname(__DIR__, 2)."/docs/$name");
    }

    public function test_the_worked_example_of_adding_a_kind_works(): void
    {
        self::assertSame(1, preg_match('/```php\n(.*?)```/s', self::page('adding-a-kind.md'), $match));
        file_put_contents("$this->folder/MeanOfBands.php", "<?php\n\n$match[1]");
        require "$this->folder/MeanOfBands.php";
        $class = 'Chorometra\\Core\\Derive\\MeanOfBands';
        $kind = new $class;
        self::assertInstanceOf(Kind::class, $kind);
        $image = $this->image('i.tif', 3, 1, ['red' => [1.0, 2.0, NAN], 'green' => [3.0, 6.0, 1.0], 'nir' => [9.0, 9.0, 9.0]]);
        $run = fn (array $settings) => Runner::run(
            $kind,
            CallOpener::call($kind, ['image' => $image], $settings, ['result' => "$this->folder/m.tif"], new Context(2, $this->folder)),
        );
        self::assertSame(2, $run(['bands' => 'red,green'])['averaged']);
        self::assertClose([2.0, 4.0, NAN], self::pixels("$this->folder/m.tif"), 1e-6);
        self::assertSame('bands', $this->problem(3, 'has no band swir1', fn () => $run(['bands' => 'swir1']))->about);
    }

    public function test_the_worked_example_of_adding_a_classifier_works(): void
    {
        self::assertSame(1, preg_match('/```php\n(.*?)```/s', self::page('adding-a-classifier.md'), $match));
        file_put_contents("$this->folder/Parallelepiped.php", "<?php\n\n$match[1]");
        require "$this->folder/Parallelepiped.php";
        $class = 'Chorometra\\Core\\Classify\\Classifiers\\Parallelepiped';
        self::assertTrue(is_subclass_of($class, Classifier::class));
        $samples = new Samples(Legend::of(['low', 'high']), [[1.0, 3.0, 8.0, 9.0], [1.0, 2.0, 5.0, 7.0]], [0, 0, 1, 1], [1, 1, 2, 2], [0, 1, 2, 3]);
        $codes = function (array $settings) use ($class, $samples): array {
            $model = (new Training($class, [['red', 'counts'], ['nir', 'counts']], $settings))->taught($samples, new Context(2));

            return $class::restore($model, 255)->assign([[2.0, 8.5, 3.5, NAN], [1.5, 6.0, 1.5, 1.0]], 4, true)->codes;
        };
        self::assertSame([1, 2, 0, 255], $codes([]));
        self::assertSame([1, 2, 1, 255], $codes(['widen' => 25]));
    }

    public function test_the_worked_examples_of_adding_a_format_work(): void
    {
        self::assertSame(2, preg_match_all('/```php\n(.*?)```/s', self::page('adding-a-format.md'), $match));
        foreach ($match[1] as $k => $code) {
            file_put_contents("$this->folder/$k.php", "<?php\n\n$code");
            require "$this->folder/$k.php";
        }
        $reader = 'Chorometra\\Core\\Format\\Graymap';
        self::assertTrue(is_subclass_of($reader, RasterReader::class));
        file_put_contents("$this->folder/g.pgm", "P5\n3 2\n255\n\x01\x02\x03\x04\x05\x06");
        self::assertSame(['graymap', null], [$reader::format('P5 3 2 255'), $reader::format("\x89PNG")]);
        self::assertSame([3, 2], [$reader::described("$this->folder/g.pgm")->grid->width, $reader::described("$this->folder/g.pgm")->grid->height]);
        self::assertSame("\x05\x06", $reader::open("$this->folder/g.pgm")->read(0, new Window(1, 1, 2, 1)));
        file_put_contents("$this->folder/cut.pgm", "P5\n3 2\n255\n\x01");
        $this->problem(3, 'ends before its last row', fn () => $reader::open("$this->folder/cut.pgm"));

        $writer = 'Chorometra\\Core\\Format\\Vector\\GeoJsonSequence';
        self::assertTrue(is_subclass_of($writer, FeatureWriter::class));
        $point = ['geometry' => ['type' => 'Point', 'coordinates' => [8.5, 54.25]], 'properties' => ['name' => 'Süd']];
        $features = [$point, ['geometry' => null, 'properties' => []]];
        $writer::write("$this->folder/s.geojsons", $features);
        $lines = explode("\n\x1e", trim((string) file_get_contents("$this->folder/s.geojsons"), "\x1e\n"));
        $read = array_map(fn (string $line): mixed => json_decode($line, true), $lines);
        self::assertSame(array_map(fn (array $feature): array => ['type' => 'Feature'] + $feature, $features), $read);
        $this->problem(2, 'choose geographic coordinates', fn () => $writer::write("$this->folder/s.geojsons", [], 32632));
    }

    public function test_the_whole_job_of_the_command_line_page_names_what_there_is(): void
    {
        preg_match_all('/^bin\/chorometra run (\S+)\s+(.*?)$/m', str_replace("\\\n", ' ', self::page('command-line.md')), $calls, PREG_SET_ORDER);
        $kinds = array_values(array_filter(array_column($calls, 1), fn (string $kind): bool => $kind !== 'KIND'));
        self::assertCount(30, $kinds);
        foreach ($calls as [, $id, $rest]) {
            if ($id === 'KIND') {
                continue;
            }
            $declaration = Registry::get($id)->declaration();
            preg_match_all('/--(in|set|out) ([\w-]+)=(\S+)/', $rest, $options, PREG_SET_ORDER);
            foreach ($options as [, $what, $name, $value]) {
                self::assertNotNull(match ($what) {
                    'in' => $declaration->input($name),
                    'out' => $declaration->output($name),
                    default => $declaration->setting($name),
                }, "$id $name");
                if ($what === 'set') {
                    self::assertNotNull($declaration->setting($name)?->value($value));
                }
            }
        }
    }
}
