<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\CsvRows;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\Measures;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Format\Npz;
use Chorometra\Core\Format\SafeTensors;
use Chorometra\Core\Gather\Intake\FileProbe;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Step\FileContents;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Files that are neither rasters nor features: tables, measures, trees, legends, models, keys, methods, detectors. */
class ContentsTest extends TestCase
{
    private const HERE = __DIR__.'/../fixtures/contents';

    private function numpy(string $script): string
    {
        return self::shell(['/usr/bin/python3', '-c', $script]);
    }

    public function test_arrays_of_numpy_are_read_to_the_last_bit(): void
    {
        $file = new Npz(self::HERE.'/numpy.npz');
        $wanted = [
            'f8' => [1.5, -2.25, NAN, 1e300],
            'f4' => [0.5, 3.25],
            'u4' => [0, 1, 4294967295],
            'i4' => [-5, 7],
            'u2' => [65535, 1],
            'i8' => [-(2 ** 40), 3],
            'u1' => [0, 255],
            'b1' => [1, 0],
            'empty' => [],
        ];
        self::assertEqualsCanonicalizing(array_keys($wanted), array_keys($file->arrays));
        foreach ($wanted as $name => $values) {
            self::assertSame(serialize($values), serialize($file->values($name)), $name);
        }
        self::assertSame(
            ['NumPy archive', '<f8 x 4'],
            [FileProbe::of(self::HERE.'/numpy.npz')->what, FileProbe::of(self::HERE.'/numpy.npz')->facts['arrays']['f8']],
        );
        // a window of a packed one
        self::assertSame([35000.0, 35000.5, 35001.0], (new Npz(self::HERE.'/packed.npz'))->values('long', 70_000, 3));
        self::assertSame([49999.5], (new Npz(self::HERE.'/packed.npz'))->values('long', 99_999, 50));
    }

    public function test_whole_numbers_beyond_those_of_php_are_no_negative_ones(): void
    {
        Npz::write("$this->folder/u.npz", ['a' => ['<u8', [1, -1]]]);
        self::assertSame([1, 18_446_744_073_709_551_615.0], (new Npz("$this->folder/u.npz"))->values('a'));
    }

    public function test_what_is_written_is_the_same_whenever_it_is_and_read_again(): void
    {
        $values = array_map(fn (int $i): float => sin($i) / 3, range(0, 99_999));
        $write = function (string $path) use ($values): void {
            Npz::write(
                $path,
                ['long' => ['<f8', $values], 'short' => ['<u4', [7, 4_294_967_295]], 'none' => ['|u1', []]],
                ['about' => ['type' => 'test', 'unit' => 'm²']],
            );
        };
        $write("$this->folder/a.npz");
        $write("$this->folder/b.npz");
        self::assertFileEquals("$this->folder/a.npz", "$this->folder/b.npz");
        $file = new Npz("$this->folder/a.npz");
        self::assertSame($values, $file->values('long'));
        self::assertSame(array_slice($values, 65_530, 10), $file->values('long', 65_530, 10));
        self::assertSame([7, 4_294_967_295], $file->values('short'));
        self::assertSame(['type' => 'test', 'unit' => 'm²'], $file->document('about'));
        self::assertSame([], glob("$this->folder/*.part"));
        // numpy itself, where it is installed, reads the same
        if (self::shell(['/usr/bin/python3', '-c', 'import importlib.util as u; print(u.find_spec("numpy") is not None)']) === 'True') {
            self::assertSame(
                json_encode([100_000, 'float64', $values[99_999], 4_294_967_295, 0]),
                trim(
                    $this->numpy(
                        "import json, numpy as n; f = n.load('$this->folder/a.npz'); print(json.dumps([len(f['long']), str(f['long'].dtype), "
                            ."float(f['long'][-1]), int(f['short'][1]), len(f['none'])], separators=(',', ':')))",
                    ),
                ),
            );
        }
    }

    public function test_broken_archives_are_told_in_a_sentence(): void
    {
        $whole = (string) file_get_contents(self::HERE.'/numpy.npz');
        file_put_contents("$this->folder/short.npz", substr($whole, 0, 900));
        $this->problem(3, 'short.npz is no NumPy archive', fn () => new Npz("$this->folder/short.npz"));
        $this->problem(3, 'square.npz holds an array “square” that is no row of plain numbers', fn () => new Npz(self::HERE.'/square.npz'));
        $this->problem(3, 'holds no array “x”', fn () => (new Npz(self::HERE.'/numpy.npz'))->values('x'));
        foreach (['f8' => "'shape': (4,)", 'shape' => "'descr': '<f8'"] as $part) {
            $at = strpos($whole, $part);
            self::assertIsInt($at);
            $broken = substr_replace($whole, str_replace(['4', 'f8'], ['9', 'c8'], $part), $at, strlen($part));
            file_put_contents("$this->folder/broken.npz", $broken);
            $this->problem(3, 'broken.npz', fn () => new Npz("$this->folder/broken.npz"));
        }
    }

    public function test_measures_by_window_and_in_order(): void
    {
        $path = "$this->folder/measures.npz";
        Measures::write(
            $path,
            [1, 2, 3, 4, 5],
            [['name' => 'area', 'unit' => 'ha', 'values' => [5.0, 1.0, NAN, 3.0, -2.0]], ['name' => 'mean(nir)', 'values' => [0.1, 0.2, 0.3, 0.4, 0.5]]],
        );
        $measures = new Measures($path);
        self::assertSame(
            [['name' => 'segment', 'unit' => null], ['name' => 'area', 'unit' => 'ha'], ['name' => 'mean(nir)', 'unit' => null]],
            $measures->columns(),
        );
        self::assertSame([[2, 1.0, 0.2], [3, null, 0.3]], $measures->rows(1, 2));
        self::assertSame([[0.5, 5]], $measures->rows(4, 100, ['mean(nir)', 'segment']));
        self::assertSame([], $measures->rows(5, 10));
        self::assertSame([4, 1, 3, 0, 2], $measures->order('area'));
        self::assertSame([0, 3, 1, 4, 2], $measures->order('area', true));
        $this->problem(2, 'There is no measure “size”; there are area, mean(nir).', fn () => $measures->rows(0, 1, ['size']));
        self::assertSame(PortType::Measures, FileContents::of($path));
        $identity = FileProbe::of($path);
        self::assertSame(['measures of segments', null, 5], [$identity->what, $identity->kind, $identity->facts['segments']]);
        Npz::write(
            "$this->folder/uneven.npz",
            ['segment' => ['<u4', [1, 2]], 'area' => ['<f8', [1.0]]],
            ['measures' => ['type' => Measures::TYPE, 'measures' => [['name' => 'area']]]],
        );
        $this->problem(3, 'uneven.npz is corrupt: its measure “area”', fn () => new Measures("$this->folder/uneven.npz"));
    }

    public function test_tables_by_window_and_in_order(): void
    {
        $path = "$this->folder/table.csv";
        file_put_contents($path, "\xef\xbb\xbfname,\"a, b\",note\r\nlow,1.5,\"two\nlines\"\r\n\r\nhigh,20,\r\nnone,,x\r\n");
        $table = new CsvRows($path);
        self::assertSame(['name', 'a, b', 'note'], array_column($table->columns(), 'name'));
        self::assertSame(3, $table->count());
        self::assertSame([['low', 1.5, "two\nlines"], ['high', 20, null]], $table->rows(0, 2));
        self::assertSame([['x', 'none']], $table->rows(2, 5, ['note', 'name']));
        self::assertSame([[0, 1, 2], [1, 0, 2]], [$table->order('a, b'), $table->order('a, b', true)]);
        $this->problem(2, 'has no column “c”', fn () => $table->rows(0, 1, ['c']));
        file_put_contents($path, '');
        $this->problem(3, 'is no table: it is empty', fn () => new CsvRows($path));
    }

    public function test_a_tree_is_cut_as_scipy_cuts_it(): void
    {
        $wanted = json_decode((string) file_get_contents(self::HERE.'/linkage.json'), true);
        $tree = new MergeTree(40, $wanted['first'], $wanted['second'], $wanted['height'], array_fill(0, 39, 0), ['bands' => ['red', 'nir']]);
        $tree->write("$this->folder/tree.npz");
        $read = MergeTree::read("$this->folder/tree.npz");
        self::assertEquals($tree, $read);
        foreach ($wanted['cuts'] as $limit => $pieces) {
            self::assertSame($pieces, $read->cut((float) $limit), "at $limit");
        }
        self::assertSame(
            ['pieces' => 40, 'merges' => 39, 'up to a limit of' => max($wanted['height']), 'rungs' => 1, 'made' => ['bands' => ['red', 'nir']]],
            FileProbe::of("$this->folder/tree.npz")->facts,
        );
        // joined with itself, twice, with what is not there yet, or below what it joins
        foreach ([[[1], [1], [1.0]], [[1, 1], [2, 3], [1.0, 2.0]], [[1], [9], [1.0]], [[1, 4], [2, 3], [2.0, 1.0]]] as [$first, $second, $height]) {
            (new MergeTree(3, $first, $second, $height, array_fill(0, count($first), 0)))->write("$this->folder/broken.npz");
            $this->problem(3, 'joins nodes that don\'t exist', fn () => MergeTree::read("$this->folder/broken.npz"));
        }
    }

    public function test_documents_are_held_to_their_schemas(): void
    {
        $classes = Legend::of(['water', 'salt marsh'])->toArray();
        $key = [
            'type' => 'key',
            'version' => 1,
            'name' => 'wet',
            'classes' => $classes,
            'couplets' => [['id' => 'a', 'measure' => 'mean(ndwi)', 'least' => 0.1, 'yes' => ['class' => 'water'], 'no' => ['couplet' => 'b']]],
            'rules' => [['rule' => 'dissolve']],
        ];
        $documents = [
            'legend' => ['type' => 'legend', 'version' => 1, 'classes' => $classes],
            'model' => [
                'type' => 'model',
                'version' => 1,
                'method' => 'nearest-mean',
                'classes' => $classes,
                'bands' => [['name' => 'nir', 'unit' => 'reflectance', 'mean' => 0.2, 'deviation' => 0.1, 'minimum' => 0.0, 'maximum' => 0.4]],
                'parameters' => ['means' => [[0.1], [0.3]]],
            ],
            'key' => $key,
            'method' => [
                'type' => 'method',
                'version' => 1,
                'name' => 'water',
                'slots' => [['name' => 'scene', 'type' => 'image']],
                'knobs' => [],
                'steps' => [['id' => 'a', 'kind' => 'derive.index', 'inputs' => ['image' => ['slot' => 'scene']], 'settings' => ['index' => 'ndwi']]],
            ],
        ];
        foreach ($documents as $type => $document) {
            $path = "$this->folder/$type.json";
            Document::write($path, $document);
            self::assertSame($document, Document::read($path, $type));
            self::assertSame(PortType::from($type), FileContents::of($path));
            self::assertSame($type, FileProbe::of($path)->what);
        }
        self::assertEquals(
            ['classes' => 'water, salt marsh', 'bands' => 'nir', 'method' => 'nearest-mean'],
            array_intersect_key(FileProbe::of("$this->folder/model.json")->facts, ['classes' => 1, 'bands' => 1, 'method' => 1]),
        );
        $this->problem(3, 'legend.json holds a legend, and a key is wanted', fn () => Document::read("$this->folder/legend.json", 'key'));
        foreach (
            [
                ['{"type":"key"', 'is no JSON'],
                ['{"type":"river","version":1}', 'holds a river, which is not supported'],
                ['{"name":"x"}', 'does not say what it is'],
                ['{"type":"legend","version":2}', 'by a later version'],
                ['{"type":"legend","version":1}', 'broken: it lacks “classes”'],
                ['{"type":"legend","version":1,"classes":[]}', 'the value at classes is empty'],
                [
                    '{"type":"legend","version":1,"classes":[{"value":1,"name":"a","colour":"red"}]}',
                    'the value at classes / 1 / colour is not a known one',
                ],
                ['{"type":"legend","version":1,"classes":[{"value":"1","name":"a","colour":"#000000"}]}', 'classes / 1 / value is a text, not a whole number'],
            ] as [$text, $part]
        ) {
            file_put_contents("$this->folder/given.json", $text);
            $this->problem(3, $part, fn () => Document::read("$this->folder/given.json"));
        }
        // what is written is checked too
        $this->problem(
            3,
            'couplets / 1 / yes',
            fn () => Document::write("$this->folder/bad.json", [
                ...$key,
                'couplets' => [['id' => 'a', 'measure' => 'x', 'yes' => ['away' => 1], 'no' => ['class' => 'water']]],
            ]),
        );
        self::assertFileDoesNotExist("$this->folder/bad.json");
    }

    public function test_tensors(): void
    {
        $file = new SafeTensors(self::HERE.'/net.safetensors');
        self::assertSame(['type' => 'detector'], $file->metadata);
        self::assertSame([[2, 3], [0.0, 1.0, 2.0, 3.0, 4.0, 5.0], [1, -2]], [$file->tensors['a']['shape'], $file->values('a'), $file->values('b')]);
        self::assertSame('detector', FileProbe::of(self::HERE.'/net.safetensors')->what);
        $tensors = [
            'weights' => ['type' => 'F32', 'shape' => [2, 2], 'values' => [0.5, -1.0, 2.0, 0.25]],
            'none' => ['type' => 'U8', 'shape' => [0], 'values' => []],
        ];
        SafeTensors::write("$this->folder/net.safetensors", $tensors, ['classes' => 'pen']);
        $read = new SafeTensors("$this->folder/net.safetensors");
        self::assertSame([$tensors['weights']['values'], [], ['classes' => 'pen']], [$read->values('weights'), $read->values('none'), $read->metadata]);
        $whole = (string) file_get_contents("$this->folder/net.safetensors");
        foreach (
            [
                substr($whole, 0, -1),
                $whole.'x',
                substr($whole, 0, 5),
                pack('P', 1 << 40).'{}',
                pack('P', 4).'nope',
                str_replace('"F32"', '"F99"', $whole),
                str_replace('[2,2]', '[2,9]', $whole),
            ] as $broken
        ) {
            file_put_contents("$this->folder/broken.safetensors", $broken);
            $this->problem(3, 'broken.safetensors', fn () => new SafeTensors("$this->folder/broken.safetensors"));
        }
    }

    public function test_a_file_of_another_kind_is_refused_at_a_port(): void
    {
        Document::write("$this->folder/legend.json", ['type' => 'legend', 'version' => 1, 'classes' => Legend::of(['a'])->toArray()]);
        $this->problem(
            3,
            'legend.json holds a legend, and the input signatures needs a table',
            fn () => $this->compute(
                'correct.surface',
                ['image' => $this->image('toa.tif', 2, 2, ['red' => [0.1, 0.1, 0.1, 0.1]]), 'signatures' => "$this->folder/legend.json"],
                [],
                ['result' => "$this->folder/out.tif"],
                new Context(1, $this->folder),
            ),
        );
    }
}
