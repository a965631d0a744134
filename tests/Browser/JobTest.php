<?php

namespace Tests\Browser;

use Chorometra\Core\Assess\Matrix;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Values;
use Chorometra\Demo\Air;
use Chorometra\Demo\Cover;
use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;
use Symfony\Component\Process\Process;

/** The whole job as an analyst does it: from an empty study to the downloaded map. */
class JobTest extends BrowserTestCase
{
    private const WATER = [58, 110, 165];

    private const LAND = [216, 207, 174];

    public function test_from_an_empty_study_to_a_checked_map(): void
    {
        $demo = dirname(__DIR__, 2).'/storage/demo';
        $truth = new GeoTiffImage("$demo/orvane-2031-truth.tif");

        // an empty study says what to do first
        $this->open('/');
        $this->fill('[data-new-study]', 'Orvane shore');
        $this->press('[data-create]');
        $this->reads('nav[aria-label=Trail]', 'The trail is empty');

        // a wrong file, then the right one: it is never unpacked by the user
        $this->press('[data-kind="gather.bundle"]');
        file_put_contents("$this->folder/letter.txt", 'dear all');
        $this->browser->findElement(WebDriverBy::cssSelector('[data-file]'))->sendKeys("$this->folder/letter.txt");
        $this->reads('[data-input=image] [role=alert]', 'letter.txt is neither a scene bundle');
        $this->browser->findElement(WebDriverBy::cssSelector('[data-file]'))->sendKeys("$demo/orvane-2031.tar.gz");
        $this->reads('[data-chosen]', 'orvane-2031.tar.gz');
        $this->press('[data-run]');
        $this->see('[data-download=multispectral]');
        $this->reads('[data-caption=a]', '12 May 2031');
        $this->reads('[data-caption=a]', 'red–green–blue');
        $this->reads('[data-caption=b]', 'nir–red–green');

        // counts to reflectance, tried first
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.calibrate"]');
        $this->press('[data-try]');
        $this->reads('[data-trial]', 'Trial of the visible window, not run');
        $this->reads('[data-caption=b]', 'trial');
        $this->press('[data-run]');
        $this->see('[data-download=result]');
        $this->reads('[data-caption=b]', '2 TOA reflectance');

        // pegs in open water and in the hills' woodland, read against the truth
        $this->press('[data-arm-peg]');
        $map = $this->see('[data-view=a] [role=application]');
        foreach ([[-140, 20], [150, 30]] as $i => [$x, $y]) {
            $this->browser->action()->moveToElement($map, $x, $y)->click()->perform();
            $this->see('[data-peg-row='.['A', 'B'][$i].']');
        }
        $this->keys('p');
        $this->press('[data-step="2"]');
        $pegs = $this->get('studies/2')['pegs'];
        $covers = array_map(fn (array $peg): int => (int) Values::codeAt($truth, $peg['x'], $peg['y']), $pegs);
        self::assertContains($covers[0], [Cover::Deep->value, Cover::Shallow->value]);
        self::assertSame(Cover::Wood->value, $covers[1]);
        $this->reads('[data-peg-row=B]', '%');
        // in per cent, through the simulator's air
        $nir = fn (string $peg): float => (float) $this->text("[data-peg-row=$peg] [data-value='2 TOA reflectance/nir']") / 100;
        $air = Air::on('2031-05-12', 'clear')->over(0.864, 0.035, 52.4);
        self::assertEqualsWithDelta($air->above(0.015), $nir('A'), 0.01);
        self::assertEqualsWithDelta($air->above(0.30), $nir('B'), 0.12);
        // near infrared shows as red: woodland glows, water is dark
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $r < 60);
        $this->colourAt('b', 'B', fn (int $r, int $g, int $b): bool => $r > 90 && $r > 2 * $g);

        // the water index
        $this->press('[data-stage=derive]');
        $this->press('[data-kind="derive.index"]');
        $this->choose('#setting-index', 'ndwi');
        $this->reads('[data-setting=index]', '(green - nir) / (green + nir)');
        $this->press('[data-run]');
        $this->reads('[data-caption=b]', '3 ndwi');
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $r > 200 && $r === $g && $g === $b);
        $this->colourAt('b', 'B', fn (int $r, int $g, int $b): bool => $r < 80);

        // the limit: drawn on the histogram, with the pegs on both sides, and what falls where at once
        $this->press('[data-stage=segment]');
        $this->press('[data-kind="segment.slice"]');
        $this->see('[data-slice] [data-handle]');
        $this->fill('[aria-label="Name of slice 1"]', 'land');
        $this->fill('[aria-label="Name of slice 2"]', 'water');
        foreach ([1 => '#d8cfae', 2 => '#3a6ea5'] as $slice => $colour) {
            $this->browser->executeScript(
                "const input = document.querySelector('[aria-label=\"Colour of slice $slice\"]'); input.value = arguments[0]; "
                    ."input.dispatchEvent(new Event('change'))",
                [$colour],
            );
        }
        $this->reads('[data-slice]', 'Peg A at or above, peg B below');
        $near = fn (array $wanted, float $tolerance) => fn (int $r, int $g, int $b): bool => abs($r - $wanted[0]) < $tolerance &&
            abs($g - $wanted[1]) < $tolerance &&
            abs($b - $wanted[2]) < $tolerance;
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $b > $r + 40);
        $this->colourAt('b', 'B', fn (int $r, int $g, int $b): bool => $r > $b + 10);
        $share = $this->text('[data-share="1"]');
        // dragged below everything, all is water, on the desk and in the view
        $handle = $this->see('[data-slice] [data-handle] circle');
        $this->browser->action()->moveToElement($handle)->clickAndHold()->moveByOffset(-90, 0)->moveByOffset(-70, 0)->release()->perform();
        $this->until(fn (): bool => $this->text('[data-share="1"]') !== $share);
        $this->colourAt('b', 'B', fn (int $r, int $g, int $b): bool => $b > $r + 40);
        // and set by a number
        $this->fill('#limit-0', '0.1');
        $this->colourAt('b', 'B', fn (int $r, int $g, int $b): bool => $r > $b + 10);
        // a limit outside the data is a result, with a word
        $this->fill('#limit-0', '7');
        $this->press('[data-run]');
        $this->reads('[data-warning]', 'lies outside the data');
        $this->fill('#limit-0', '0.1');
        $this->fill('#setting-minimum', '10');
        $this->press('[data-run]');
        $this->gone('[data-warning]');
        $this->see('[data-download=classes]');
        $this->reads('[data-caption=b]', '4 classes 70 %');
        $this->reads('[data-peg-row=A]', 'water');
        $this->reads('[data-peg-row=B]', 'land');
        // over the index at 70 per cent
        $this->colourAt('b', 'A', $near(array_map(fn (int $c): int => (int) (0.7 * $c + 0.3 * 250), self::WATER), 12));

        $this->check($truth);
        $this->hand($demo);
        $this->noErrors();
    }

    /** Check points, labelled by the truth, by keys and clicks; skipped, gone back to and undone. */
    private function check(GeoTiffImage $truth): void
    {
        $this->press('[data-stage=assess]');
        $this->press('[data-kind="assess.draw"]');
        $this->fill('#setting-points', '20');
        $this->press('[data-run]');
        $this->press('[data-label-points]');
        // blind to the map: images only
        self::assertStringNotContainsString('classes', $this->text('[data-caption=a]').$this->text('[data-caption=b]'));
        $step = $this->get('studies/2')['steps'][4]['id'];
        $map = new GeoTiffImage(glob("$this->folder/files/studies/2/4-segment-slice-*-classes.tif")[0] ?? '');
        $counts = ['land' => ['land' => 0, 'water' => 0], 'water' => ['land' => 0, 'water' => 0]];
        $drawing = collect($this->get('studies/2')['drawings'])->firstWhere('step', $step)['id'];
        foreach ($this->get("drawings/$drawing")['marks'] as $i => $point) {
            [$x, $y] = $point['geometry']['coordinates'];
            $this->reads('[data-point]', (string) $point['number']);
            $label = Cover::from((int) Values::codeAt($truth, $x, $y))->isWater() ? 'water' : 'land';
            if ($i === 1) {
                $this->keys('x');
                $this->reads('[data-check]', '1 skipped');

                continue;
            }
            if ($i === 2) {
                // a slip, undone at once
                $this->keys($label === 'water' ? '1' : '2');
                $this->reads('[data-point]', (string) ($point['number'] + 1));
                $this->browser->getKeyboard()->sendKeys([WebDriverKeys::CONTROL, 'z']);
                $this->browser->getKeyboard()->releaseKey(WebDriverKeys::CONTROL);
                $this->reads('[data-point]', (string) $point['number']);
            }
            $i % 2 ? $this->press("[data-class=$label]") : $this->keys($label === 'land' ? '1' : '2');
            $counts[$map->spec()->legend?->name((int) Values::codeAt($map, $x, $y))][$label]++;
            $this->reads('[data-check]', array_sum(array_map(array_sum(...), $counts)).' of 20 labelled');
        }
        // back to the one that was skipped
        for ($back = 0; $back < 20 && $this->text('[data-point]') !== '2'; $back++) {
            $was = $this->text('[data-point]');
            $this->keys(',');
            $this->until(fn (): bool => $this->text('[data-point]') !== $was);
        }
        $this->reads('[data-check]', 'skipped');
        $right = $counts['land']['land'] + $counts['water']['water'];
        // of the points as they are, and of the map, where each class weighs what it covers
        $this->reads('[data-counted-overall]', number_format(100 * $right / 19, 1).' %');
        $overall = 0.0;
        foreach (array_column($this->get('studies/2')['steps'][4]['figures']['strata'], 'share', 'class') as $class => $share) {
            $overall += $share * $counts[$class][$class] / array_sum($counts[$class]);
        }
        $this->reads('[data-overall]', number_format(100 * $overall, 1).($right === 19 ? ' %' : ' ± '));
        $rows = $this->browser->executeScript("return [...document.querySelectorAll('[data-matrix] table tbody')][0].innerText");
        foreach ($counts as $row) {
            self::assertMatchesRegularExpression("/{$row['land']}\s+{$row['water']}\s+".array_sum($row).'/', $rows);
        }
        self::assertGreaterThan(0.85, $right / 19);
        $this->see('[data-kappa]');
        // intervals that are empty are said to be so, and the areas of the table stand in one unit
        self::assertCount($right === 19 ? 1 : 0, $this->browser->findElements(WebDriverBy::cssSelector('[data-no-errors]')));
        preg_match_all('/\d (km²|ha)/', $this->text('[data-matrix]'), $units);
        self::assertCount($right === 19 ? 4 : 6, $units[1]);
        self::assertCount(1, array_unique($units[1]));
    }

    /** Matrix, polygons and map go out; the command line makes the same rasters to the byte. */
    private function hand(string $demo): void
    {
        $this->press('[data-stage=assess]');
        $this->press('[data-kind="assess.matrix"]');
        $this->press('[data-run]');
        $this->see('[data-download=result]');
        self::assertStringContainsString('overall accuracy', $this->download('[data-download=result]'));
        $this->press('[data-stage=deliver]');
        $this->press('[data-kind="deliver.outlines"]');
        $this->choose('#input-image', $this->get('studies/2')['steps'][3]['id'].'/classes');
        $this->fill('#setting-simplify', '15');
        $this->press('[data-run]');
        $this->see('[data-download=result]');
        $polygons = json_decode($this->download('[data-download=result]'), true);
        self::assertContains('water', array_map(fn (array $feature): string => $feature['properties']['class'], $polygons['features']));
        $this->press('[data-stage=deliver]');
        $this->press('[data-kind="deliver.image"]');
        $this->choose('#input-image', $this->get('studies/2')['steps'][3]['id'].'/classes');
        $this->press('[data-run]');
        $this->see('[data-download=result]');
        $map = $this->download('[data-download=result]');
        file_put_contents("$this->folder/map.tif", $map);
        file_put_contents("$this->folder/map.stac.json", $this->download('[data-sidecar=result]'));
        $image = new GeoTiffImage("$this->folder/map.tif");
        self::assertSame(
            ['land', '#d8cfae'],
            [$image->spec()->legend->classes[1]['name'] ?? '', $image->spec()->legend->classes[1]['colour'] ?? ''] + ['', ''],
        );
        $codes = Values::codes($image, new Window(0, 0, 600, 600));
        self::assertSame([1, 2, 255], array_values(array_intersect([1, 2, 255], $codes)));

        self::assertEquals(
            ['limits' => [0.1], 'names' => ['land', 'water'], 'colours' => ['#d8cfae', '#3a6ea5'], 'minimum' => 10],
            $this->get('studies/2')['steps'][3]['settings'],
        );
        $run = function (string ...$arguments): void {
            $process = new Process([dirname(__DIR__, 2).'/bin/chorometra', 'run', ...$arguments], $this->folder, ['PHP_INI_SCAN_DIR' => false], null, 120);
            $process->mustRun();
        };
        $run('gather.bundle', '--in', "image=$demo/orvane-2031.tar.gz", '--out', 'result=scene');
        $run('correct.calibrate', '--in', 'image=scene/multispectral.tif', '--out', 'result=reflectance.tif');
        $run('derive.index', '--in', 'image=reflectance.tif', '--set', 'index=ndwi', '--out', 'result=ndwi.tif');
        $run(
            'segment.slice',
            '--in',
            'image=ndwi.tif',
            '--set',
            'limits=0.1',
            '--set',
            'minimum=10',
            '--set',
            'names=land,water',
            '--set',
            'colours=#d8cfae,#3a6ea5',
            '--out',
            'classes=classes.tif',
        );
        $run('deliver.image', '--in', 'image=classes.tif', '--out', 'result=delivered.tif');
        self::assertSame(md5($map), md5_file("$this->folder/delivered.tif"));
        self::assertSame(md5_file(glob("$this->folder/files/studies/2/3-derive-index-*-result.tif")[0] ?? ''), md5_file("$this->folder/ndwi.tif"));
    }

    private function download(string $css): string
    {
        return (string) file_get_contents((string) $this->see($css)->getDomProperty('href'));
    }
}
