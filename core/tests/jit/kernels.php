<?php

// Runs every kernel several times over random input and prints a hash of what each gives, to be compared with and without the JIT.

require __DIR__.'/../../../vendor/autoload.php';

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Arithmetic\Indices;
use Chorometra\Core\Arithmetic\LinearForms;
use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Classifiers\ForestClassifier;
use Chorometra\Core\Classify\Classifiers\MaximumLikelihood;
use Chorometra\Core\Classify\Classifiers\NearestMean;
use Chorometra\Core\Classify\Classifiers\NeighbourClassifier;
use Chorometra\Core\Classify\Classifiers\SpectralAngle;
use Chorometra\Core\Classify\Classifiers\SupportVectorMachine;
use Chorometra\Core\Classify\Fill;
use Chorometra\Core\Classify\Keys\Couplet;
use Chorometra\Core\Classify\Maps\MajorityFilter;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Classify\Recode;
use Chorometra\Core\Compare\Alteration\Detection;
use Chorometra\Core\Compare\Change\Directions;
use Chorometra\Core\Compare\Change\Forms;
use Chorometra\Core\Compare\Difference;
use Chorometra\Core\Compare\Mad;
use Chorometra\Core\Compare\Maps\Pairs;
use Chorometra\Core\Compare\Vector;
use Chorometra\Core\Correct\Air\ScatteringLayer;
use Chorometra\Core\Correct\Backscatter;
use Chorometra\Core\Correct\Calibrate;
use Chorometra\Core\Correct\Haze;
use Chorometra\Core\Correct\Radar\MultiLook;
use Chorometra\Core\Correct\Radar\SpeckleFilters;
use Chorometra\Core\Correct\Surface;
use Chorometra\Core\Correct\TopographicCorrection;
use Chorometra\Core\Deliver\Delivery;
use Chorometra\Core\Deliver\Polygons\Borders;
use Chorometra\Core\Deliver\Polygons\Region;
use Chorometra\Core\Deliver\Polygons\Simplify;
use Chorometra\Core\Derive\Texture;
use Chorometra\Core\Derive\WindowFilter;
use Chorometra\Core\Derive\Windows\CoOccurrence;
use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\Predictor;
use Chorometra\Core\Format\GeoTiff\Unpack;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\SideLength;
use Chorometra\Core\Geo\TargetGrid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Cartesian;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Computed;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\SlopeLight;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Regions\Measures\Kernels as SegmentKernels;
use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Regions\Numbers\Majority;
use Chorometra\Core\Regions\Numbers\Neighbours;
use Chorometra\Core\Regions\Numbers\Renumbered;
use Chorometra\Core\Regions\Runs\Absorb;
use Chorometra\Core\Regions\Runs\RunMap;
use Chorometra\Core\Segment\Merging\RegionGraph;
use Chorometra\Core\Segment\Merging\TilePieces;
use Chorometra\Core\Segment\Slice;
use Chorometra\Core\Stats\Clustering;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Stats\Fourier;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Stats\NearestNeighbours;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Stats\PhaseCorrelation;
use Chorometra\Core\Stats\RandomForest;
use Chorometra\Core\Stats\Standardisation;
use Chorometra\Core\Work\Context;

$random = new Random\Randomizer(new Random\Engine\Mt19937(11));
$hash = function (string $name, mixed $value): void {
    $text = '';
    array_walk_recursive($value, function (mixed $one) use (&$text): void {
        $text .= is_float($one) ? pack('e', $one) : "$one,";
    });
    echo $name, ' ', md5($text), "\n";
};
// hot enough for the compiler in each round
for ($round = 0; $round < 4; $round++) {
    [$width, $height] = [$random->getInt(3, 97), $random->getInt(3, 61)];
    $count = $width * $height;
    $codes = [];
    $values = [];
    $second = [];
    for ($i = 0; $i < $count; $i++) {
        $codes[] = $random->getInt(0, 4);
        $values[] = $random->getInt(0, 19) ? $random->getInt(-100_000, 100_000) / 977 : NAN;
        $second[] = $random->getInt(0, 1000) / 500;
    }
    foreach (SampleType::cases() as $type) {
        $bytes = $random->getBytes($count * $type->bytes());
        $hash("codes $type->value", [
            Codec::encodeCodes(
                Codec::codes($type->isFloat() ? Codec::encode($values, $type, null) : $bytes, $type),
                $type->isFloat() ? SampleType::Int32 : $type,
            ),
        ]);
        $hash("values $type->value", Codec::values(Codec::encode($values, $type, $type->isFloat() ? -9999.0 : 0.0), $type, $type->isFloat() ? -9999.0 : 0.0));
        $hash("predictor $type->value", [Predictor::horizontal($random->getBytes($width * 4 * $type->bytes()), $type->bytes(), $width * 2, 2)]);
    }
    foreach ([4, 8] as $size) {
        $hash("floating predictor $size", [Predictor::floatingPoint($random->getBytes($width * 3 * $size), $size, $width, 1)]);
    }
    // samples of the other byte order, band by band out of pixels
    $file = new GeoTiffImage(dirname(__DIR__).'/fixtures/tiff/u16x3_packbits_be.tif');
    $hash(
        'big-endian',
        array_map(fn (int $band): string => $file->read($band, new Window(0, 0, $file->spec()->grid->width, $file->spec()->grid->height)), [0, 1, 2]),
    );
    $hash('lzw', [Unpack::lzw($random->getBytes(400), 100_000) ?? 'broken', Unpack::packBits($random->getBytes(400), 100_000) ?? 'broken']);
    $hash('mean', Reduce::mean($values, $width, $height));
    $hash('mode', Reduce::mode($codes, $width, $height));
    $hash('moments', (array) Moments::of($values));
    $counts = array_fill(0, 32, 0);
    Histogram::count($counts, $values, $count, -103.0, 103.0, 32);
    $hash('histogram', $counts);
    $hash('linear', Codec::linear($values, $count, 0.013, -0.2));
    $hash('temperature', Calibrate::temperature($values, $count, 774.8853, 1321.0789));
    $hash('stretch', Delivery::stretch($values, $count, -50.0, 60.0));
    foreach (['one limit' => [3.5], 'limits' => [-20.0, 3.5, 40.0]] as $name => $limits) {
        [$slices, $least, $greatest] = Slice::runs($values, $width, $height, $limits);
        $hash($name, [$least, $greatest, $slices->toBytes(), $slices->paintBytes($slices->codes, SampleType::UInt16, 0, $height)]);
    }
    foreach (Indices::TABLE as $name => [, $text]) {
        $formula = new Formula($text);
        $hash($name, $formula->compile()(array_map(fn (int $k): array => $k % 2 ? $second : $values, array_keys($formula->names())), $count));
    }
    foreach (array_keys(Forms::MEANINGS) as $how) {
        $hash("differences, $how", Forms::of($how, $second, $values, $count));
    }
    $hash('scores', Difference::scores($values, $count, 3.1, 0.7));
    foreach ([2, 4] as $bands) {
        $planes = array_fill(0, 2 * $bands, $second);
        $planes[$bands + 1] = $values;
        [$lengths, $ways] = Directions::of($bands)($planes, $count);
        $hash("directions $bands", [...$lengths, ...$ways, ...Directions::codes($lengths, $planes, 20.0, $count, 65535)]);
        $hash("rose $bands", Vector::counted($lengths, $ways, $count, 20.0, 0.1, 36));
    }
    $hash('probabilities', $probabilities = Detection::probabilities($second, $count, Detection::table(3)));
    $hash('roots', Mad::root($second, $count));
    $hash('changed', Mad::changed($probabilities, $count, 0.5, 255));
    [$total, $sums, $products] = Comoments::weighted([$second, $values], array_map(fn (float $v): float => $v === $v ? 0.3 : NAN, $values), [0.5, 1.0], $count);
    $hash('weighted products', [$total, ...$sums, ...$products[0], ...$products[1]]);
    $places = Pairs::placed([$codes, array_reverse($codes)], array_fill(0, 2, [-1, 0, 1, 2, 3]), $count);
    $hash('pairs of classes', [...Pairs::paired(...[...$places, 4, $count]), ...array_merge(...Pairs::seen($places, 2, $count))]);
    foreach ([4, 8] as $neighbours) {
        $map = new RunMap($width);
        $map->append($codes, $height);
        [$parts] = $map->parts($neighbours);
        $hash("parts $neighbours", $map->paint($parts, 0, $height));
        $pairs = [];
        for ($row = 1; $row < $height; $row++) {
            [$a, $b, $c] = array_slice($map->rowStart, $row - 1, 3);
            Absorb::pairs(
                $pairs,
                array_slice($map->ends, $a, $b - $a),
                array_slice($parts, $a, $b - $a),
                array_slice($map->ends, $b, $c - $b),
                array_slice($parts, $b, $c - $b),
                SideLength::of(null),
                $neighbours === 8,
            );
        }
        $hash("edges $neighbours", $pairs);
        $hash("recoded $neighbours", [$map->recoded(array_map(fn (int $code): int => $code >> 1, $map->codes))->toBytes()]);
    }
    [$parts] = $map->parts(4);
    $plain = new class($values, $second, $width, $height) implements Computed {
        /** @param  list<float>  $values */
        public function __construct(private array $values, private array $second, private int $width, private int $height) {}

        public function spec(): RasterSpec
        {
            return new RasterSpec(new Grid($this->width, $this->height, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632), [new Band, new Band]);
        }

        public function name(): string
        {
            return 'plain';
        }

        public function levels(): array
        {
            return [[$this->width, $this->height]];
        }

        public function read(int $band, Window $window, int $level = 0): string
        {
            return Codec::encode($this->values($band, $window), SampleType::Float32, null);
        }

        public function values(int $band, Window $window): array
        {
            $out = [];
            for ($y = $window->row; $y < $window->row + $window->height; $y++) {
                array_push($out, ...array_slice($band === 0 ? $this->values : $this->second, $y * $this->width + $window->col, $window->width));
            }

            return $out;
        }
    };
    foreach (Resampling::cases() as $resampling) {
        $other = new Warped($plain, TargetGrid::grid($plain->spec()->grid, 32631, 7.0 + 5 * $round, 'plain'), $resampling);
        $window = new Window(3, 2, $other->spec()->grid->width - 5, $other->spec()->grid->height - 4);
        $hash("warp $resampling->value", [$other->values(0, $window), $other->values(1, $window)]);
    }
    $rows = new RowBlock($width, $height);
    foreach (['boxcar', 'lee', 'refined-lee', 'gamma-map', 'frost'] as $filter) {
        $hash($filter, [SpeckleFilters::filtered($values, $rows, $filter, 5, 0.25), SpeckleFilters::filtered($second, $rows, $filter, 5, 0.25)]);
    }
    [$light, $slope] = SlopeLight::over($values, $rows, $plain->spec()->grid, 38.0, 152.0);
    $hash('light', [$light, $slope]);
    foreach (['mean', 'median', 'gaussian', 'minimum', 'maximum', 'deviation', 'edge'] as $filter) {
        $hash("filter $filter", WindowFilter::filtered($values, $rows, $filter, $filter === 'edge' ? 1 : 3, 0.8));
    }
    $counts = array_map(fn (int $code): float => (float) $code, array_slice($codes, 0, $width * $height));
    $hash('filter median of counts', WindowFilter::filtered($counts, $rows, 'median', 2, 1.0));
    foreach (['with holes' => $values, 'of counts' => $counts] as $name => $grey) {
        $hash("texture $name", Texture::measures($grey, $rows, 5, 8, 0.0, 60.0, [[1, 0], [-1, 1]], CoOccurrence::MEASURES));
    }
    $hash('comoments', get_object_vars(Comoments::of([$values, $counts, array_reverse($counts)], $count)));
    $hash('linear forms', LinearForms::of([[0.3, -1.5], [2.0, 1e-3]], [0.1, -7.0])([$values, $counts], $count));
    $hash('softened', TopographicCorrection::softened($second, $light, $count, 0.6, 0.3));
    $hash('powered', TopographicCorrection::powered($second, $light, $count, 0.6, 0.7));
    $hash('levelled', TopographicCorrection::levelled($second, $light, $count, 0.2, 0.1));
    $hash('surface', Surface::ground($second, $count, 1.31, -0.08, 0.17));
    $layer = ScatteringLayer::of($random->getInt(1, 300) / 1000, $random->getInt(0, 600) / 1000, 0.9, 0.66, $random->getInt(200, 1000) / 1000);
    $hash('layer', [$layer->path, $layer->down, $layer->up, $layer->spherical]);
    $hash('haze', Haze::without($second, Haze::away($values, $second, $count, 0.6, 0.8, 1.0), $count, 0.7));
    $hash('looks', MultiLook::average(MultiLook::power($values, $count), intdiv($width, 3), intdiv($height, 2), 3, 2));
    $hash('decibel', Backscatter::decibel($values, $count, 0.7));
    $hash('power', SpeckleFilters::power($values, $count));
    $hash('polar', [Cartesian::polar($values, $second, true), Cartesian::polar($values, $second, false)]);
    [$re, $im] = array_map(fn (): array => array_map(fn (): float => $random->getInt(0, 1000) / 500, range(1, 32 * 32)), [0, 1]);
    $hash('correlation', PhaseCorrelation::shift($re, $im, 32) ?? ['none']);
    Fourier::square($re, $im, 32);
    $hash('fourier', [$re, $im]);
    $labels = $map->paint($parts, 0, $height);
    $samples = fn (Window $part): string => Codec::encodeCodes(
        array_merge(
            ...array_map(
                fn (int $row): array => array_slice($labels, $row * $width + $part->col, $part->width),
                range($part->row, $part->row + $part->height - 1),
            ),
        ),
        SampleType::UInt32,
    );
    $bands = [Codec::linear($values, $count, 0.1, 0.0), array_map(fn (float $one, float $other): float => is_nan($one) ? NAN : $other, $values, $second)];
    $whole = new Window(0, 0, $width, $height);
    $flat = new Grid($width, $height, [0, 1, 0, 0, 0, -1], null);
    $tile = TilePieces::of($bands, new Window(3, 2, $width - 5, $height - 4), $whole, $flat, 9.0, 0.05, 0.1, 2.0 ** -20);
    $hash('pieces of a tile', [$tile->ids, $tile->records, $tile->numbers]);
    $pieces = TilePieces::of($bands, $whole, $whole, $flat, 1.0, 0.05, 0.1, 2.0 ** -20);
    $sides = Neighbours::sides($pieces->numbers, $width, $height, $height);
    $ends = array_merge(...array_map(fn (int $key): array => [($key >> 32) - 1, ($key & 0xFFFFFFFF) - 1], array_keys($sides)));
    $lengths = array_map(fn (int $both): int => ($both >> 32) + ($both & 0xFFFFFFFF), array_values($sides));
    $graph = new RegionGraph($pieces->records, $pieces->ids, $ends, $lengths, 2, 0.05, 0.1, 2.0 ** -20);
    $graph->climb(1.5);
    $graph->climb(3.0);
    $graph->absorb(4);
    $hash('joins', $graph->joins());
    [$places, $numbers] = SegmentKernels::places($labels, 0, $count);
    $hash('segments measured', SegmentKernels::values($places, $values, $count, count($numbers)));
    $even = [array_fill(0, $count, 400.0), array_fill(0, $height, 20.0), array_fill(0, $height, 20.0)];
    $hash('segments shaped', SegmentKernels::shapes($labels, $width, 0, $height, 0, 0, ...$even));
    $hash('segments listed', SegmentKernels::lists($labels, $values, $count));
    $hash('segments facing', SegmentKernels::facing($labels, $codes, 2, SideLength::of(null), $width, 0, $height, 0));
    $far = array_map(fn (int $i): int => $i % 7 === 0 ? 0xFFFFFFFF : $i * 5 % 11, range(0, $width - 1));
    $squares = SegmentKernels::along($far, $width, 2.0, 3.0);
    $least = array_fill(0, count($numbers), INF);
    SegmentKernels::nearest($least, $places, $width, $squares, $width);
    $hash('segments from a class', [$squares, array_map(fn (float $one): float => is_finite($one) ? $one : -1.0, $least)]);
    $hash('neighbours', Neighbours::sides($labels, $width, $height, $height));
    $hash('majority', [Majority::counts($labels, $codes, $count, 3), Fill::filled($codes, $labels, [-1, 2, 0, 1], $count, 4)]);
    $hash('smooth', MajorityFilter::of($codes, $width, 0, $height, 0, 2, 3));
    $hash('recode', Recode::mapped($codes, range(9, 300), $count));
    $hash('outside', Graph::outside($labels, $width, 0, $height, 0));
    $some = array_map(fn (float $value): float => is_finite($value) ? $value : 0.5, array_slice($values, 0, 240));
    $hash('answers', Couplet::within($some, 240, 0.2, 0.7));
    $columns = [array_slice($some, 0, 120), array_slice($some, 120, 120)];
    $of = array_map(fn (int $i): int => $i * 7 % 3, range(0, 119));
    $standard = Standardisation::of($columns);
    $columns = [$standard->apply(0, $columns[0]), $standard->apply(1, $columns[1])];
    $hash('nearest', (new NearestNeighbours($columns, $of, 3, 5))->shares(array_reverse($columns), 120));
    $hash('forest', RandomForest::grown($columns, $of, 3, 5, 2)->shares(array_reverse($columns), 120));
    // enough of one class for counting by bin
    $many = [$second, array_map(fn (float $value): float => is_nan($value) ? 0.25 : $value, $values)];
    $kind = array_map(fn (int $code): int => $code % 3, $codes);
    $grown = RandomForest::grown($many, $kind, 3, 4, 9, depth: 6);
    $tested = [$second, $values];
    $hash('counted forest', $grown->shares($tested, $count));
    $normals = [];
    foreach ([[0.0, 2.0], [1.5, -20.0], [0.8, 40.0]] as $k => $means) {
        $normal = Normal::of($means, [[0.4 + $k, 0.3], [0.3, 900.0 + 100 * $k]]);
        $normals[] = $normal instanceof Normal ? $normal : throw new LogicException('There is a covariance.');
    }
    foreach ([
        'likelihoods' => new MaximumLikelihood([1, 2, 7], 255, $normals, [0.2, 0.3, 0.5], 0.05),
        'distances' => NearestMean::of([1, 2, 7], 255, [[0.0, 2.0], [1.5, -20.0], [0.8, 40.0]], [0.5, 50.0], [1.0, 2.0, 0.5], null),
        'angles' => new SpectralAngle([1, 2, 7], 255, [[0.1, 2.0], [1.5, -20.0], [1.8, 4.0]], null),
        'tree votes' => new ForestClassifier([1, 2, 7], 255, 2, $grown, 0.4),
        'support vectors' => (new Training(SupportVectorMachine::class, [['x', null], ['y', null]], ['tune' => true]))->taught(
            new Samples(Legend::of(['a', 'b', 'c']), $columns, $of, $of, $of),
            new Context(1),
        )->classifier(255),
        'neighbours\' votes' => new NeighbourClassifier([1, 2, 7], 255, new NearestNeighbours($many, $kind, 3, 3), null),
    ] as $name => $classifier) {
        $hash($name, [$classifier->assign($tested, $count)->codes, (array) $classifier->assign($tested, $count, true, true)]);
        $hash("$name, told", (array) $classifier->assign($tested, $count, true));
    }
    $groups = Clustering::means($many, $count, Clustering::seeds($many, $count, 5, 3), 7);
    $hash('clusters', [(array) $groups, $groups->spreads($many)]);
    $hash('isodata', (array) Clustering::isodata($many, $count, $groups->centres, 6, 3, 0.4, 0.3, 9));
    $hash('renumbered', Renumbered::mapped($labels, range(0, max($labels) + 1), $count));
    $borders = new Borders($width, new Simplify($width, $height, 4, $samples, fn (): array => [1.0, 1.0, 0.0], 1.5));
    $regions = [];
    for ($row = 0; $row < $height; $row++) {
        array_push($regions, ...$borders->row(array_slice($labels, $row * $width, $width), [array_slice($values, $row * $width, $width)]));
    }
    array_push($regions, ...$borders->end());
    $hash('borders', array_map(fn (Region $region): array => [$region->code, $region->pixels, $region->sums, $region->exact(), $region->delivered()],
        $regions));
}
