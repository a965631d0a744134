<?php

namespace Tests\Browser;

use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Demo\Air;
use Chorometra\Demo\Catalogue;
use Chorometra\Demo\CatalogueScene;
use Chorometra\Demo\Clouds;
use Chorometra\Demo\ComplexRadar;
use Chorometra\Demo\Cover;
use Chorometra\Demo\Landscape;
use Chorometra\Demo\OpticalScene;
use Chorometra\Demo\Radar;
use Chorometra\Demo\Simulator;
use Facebook\WebDriver\Remote\LocalFileDetector;
use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;

/** Corrections on the desk: set up, run, and told in figures what they did. */
class CorrectTest extends BrowserTestCase
{
    /** @param  array<string, mixed>  $body */
    private function step(array $body): int
    {
        $answer = $this->send('POST', 'api/studies/1/steps', $body + ['inputs' => (object) [], 'run' => true]);
        $id = (int) $answer['id'];
        $this->until(fn (): bool => collect($this->get('studies/1')['steps'])->firstWhere('id', $id)['state'] === 'done');

        return $id;
    }

    /** @param  list<string>  $groups */
    private function order(string $collection, string $scene, array $groups = ['multispectral']): int
    {
        $this->send('PUT', 'standin/archive/behaviour', ['busy' => 0, 'torn' => 0, 'rate' => 50_000_000, 'pause' => 0.1]);

        return $this->step([
            'kind' => 'gather.order',
            'settings' => ['archive' => 'stand-in', 'collection' => $collection, 'scene' => $scene, 'groups' => $groups],
        ]);
    }

    public function test_light_on_slopes_and_two_dates_onto_each_other(): void
    {
        $heights = $this->order('orvane-heights', 'ORVANE_HEIGHTS');
        $second = $this->order('velisande-level1', 'VL1_ORVANE_20330603');
        $first = $this->step(['kind' => 'correct.calibrate', 'inputs' => ['image' => ['step' => 1, 'output' => 'multispectral']]]);
        $later = $this->step(['kind' => 'correct.calibrate', 'inputs' => ['image' => ['step' => $second, 'output' => 'multispectral']]]);
        $this->open('/studies/1');

        // the elevation model evens out the light
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.terrain"]');
        self::assertSame("$heights/image", $this->see('#input-elevation')->getAttribute('value'), 'heights are offered as such');
        // the simple way stands beside it
        $this->choose('#input-image', "$first/result");
        $this->press('[data-instead]');
        self::assertSame('ratio', $this->see('#setting-index')->getAttribute('value'));
        self::assertSame("$first/result", $this->see('#input-image')->getAttribute('value'));
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.terrain"]');
        $this->choose('#input-image', "$first/result");
        $this->choose('#input-elevation', "$heights/image");
        // the order of the work is minded, and left to the user
        $this->reads('[data-out-of-order]', 'Path radiance is still in this image');
        $this->press('[data-run]');
        $this->reads('[data-before-after]', 'Before and after');
        $this->reads('[data-changed]', 'of the pixels changed');
        $this->reads('[data-figures]', 'lit');
        $this->reads('[data-figures]', 'correlation');
        // values over light: their slope is gone
        $this->see('[data-slope=after]');
        $this->choose('[data-light] select', '4');
        $slope = fn (string $which): float => (float) str_replace('−', '-', $this->text("[data-slope=$which]"));
        $this->until(fn (): bool => $slope('before') > 0.25);
        self::assertLessThan(0.1 * $slope('before'), abs($slope('after')));
        // another band, another histogram
        $label = fn (): string => (string) $this->see('[data-before-after] svg')->getAttribute('aria-label');
        $this->until(fn (): bool => str_contains($label(), 'blue'));
        $this->browser->findElement(WebDriverBy::xpath('//*[@data-before-after]//option[normalize-space()="nir"]'))->click();
        $this->until(fn (): bool => str_contains($label(), 'nir'));

        // the second date lies one and a half columns and half a row off, and is moved onto the first
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.coregister"]');
        $this->choose('#input-moving', "$later/result");
        $this->choose('#input-reference', "$first/result");
        $this->choose('#setting-band', '4');
        $this->press('[data-run]');
        $this->see('[data-rmse]');
        $figures = collect($this->get('studies/1')['steps'])->firstWhere('kind', 'correct.coregister')['figures'];
        self::assertEqualsWithDelta(1.5, $figures['shift']['columns'], 0.1);
        self::assertEqualsWithDelta(-0.5, $figures['shift']['rows'], 0.1);
        self::assertGreaterThan(100, $figures['used']);
        // what did not change between the dates lies closer together than before
        $this->reads('[data-between-dates] table', 'nir');
        $nir = $this->browser->findElement(WebDriverBy::xpath('//*[@data-between-dates]//tr[td[1]="nir"]'));
        [$raw, $moved] = array_map(fn (int $k): float => (float) $nir->findElements(WebDriverBy::tagName('td'))[$k]->getText(), [1, 2]);
        self::assertGreaterThan(0.0, $moved);
        self::assertLessThan($raw, $moved);
        // residuals stand as arrows on both views
        self::assertGreaterThan(100, (int) $this->see('[data-view=b]')->getAttribute('data-arrows'));
        $this->drawnAt('b', 0, 0, 150);
        // one struck out: the fit follows at once, before anything is run
        $used = $this->text('[data-tie-points] p');
        $tie = collect($figures['tie-points'])
            ->where('state', 'used')
            ->sortByDesc(fn (array $one): float => hypot($one['residual-columns'], $one['residual-rows']))
            ->first();
        $this->browser->executeScript('document.querySelector("[data-tie-points]").scrollIntoView()');
        $this->browser->findElement(WebDriverBy::xpath('//*[@data-tie-points]//th[1]/button'))->click();
        $this->press('[data-tie-points] [data-strike]');
        $this->until(fn (): bool => $this->text('[data-tie-points] p') !== $used);
        $this->reads('[data-tie-points] p', '1 excluded');
        self::assertNotNull($tie);
        $this->press('[data-run]');
        $this->until(fn (): bool => (collect($this->get('studies/1')['steps'])->firstWhere('kind', 'correct.coregister')['figures']['struck'] ?? 0) === 1);
        $this->noErrors();
    }

    /**
     * Value at a peg before and after, as the desk tells it.
     *
     * @return array{float, float}
     */
    private function told(string $peg): array
    {
        $cells = $this->see("[data-after=$peg]")->findElements(WebDriverBy::xpath('../td'));
        $read = fn (int $k): float => self::value($cells[$k]->getText());

        return [$read(1), $read(2)];
    }

    /** A number as a person reads it: per cent are hundredths. */
    private static function value(string $text): float
    {
        return (float) str_replace(['−', ' ', "\u{00a0}", "\u{202f}"], ['-', '', '', ''], $text) / (str_ends_with($text, '%') ? 100 : 1);
    }

    private function peg(int $col, int $row, string $name): void
    {
        [$x, $y] = OpticalScene::grid(20)->toMap($col + 0.5, $row + 0.5);
        $this->send('POST', 'api/studies/1/pegs', ['x' => $x, 'y' => $y, 'name' => $name]);
    }

    public function test_pegs_come_near_the_truth(): void
    {
        $second = $this->order('velisande-level1', 'VL1_ORVANE_20330603');
        $radar = $this->order('cassavel-intensity', 'CS1_ORVANE_20301220');
        $first = $this->step(['kind' => 'correct.calibrate', 'inputs' => ['image' => ['step' => 1, 'output' => 'multispectral']]]);
        $at = ['A' => [100, 220], 'B' => [250, 290], 'C' => [400, 375]];
        foreach ($at as $name => [$col, $row]) {
            $this->peg($col, $row, "place $name");
        }
        $this->open('/studies/1');

        // the light that the air adds comes off: blue of the ground itself
        [$date, $later, $sky, $elevation, $azimuth, $seed] = Simulator::SCENES['orvane-2031'];
        $truth = (new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed))->ground(0);
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.dark-object"]');
        $this->choose('#input-image', "$first/result");
        // the dark value stands on the histogram, and can be drawn along it
        $least = self::value($this->text('[data-dark-value]'));
        self::assertGreaterThan(0.05, $least);
        $this->see('[data-dark] [data-handle="0"]')->sendKeys(WebDriverKeys::PAGE_UP);
        $this->until(fn (): bool => self::value($this->text('[data-dark-value]')) > $least);
        self::assertGreaterThan(0, (float) $this->see('#setting-percentile')->getAttribute('value'));
        $this->fill('#setting-percentile', '0');
        $this->until(fn (): bool => abs(self::value($this->text('[data-dark-value]')) - $least) < 1e-9);
        $this->see('#setting-assumed')->clear()->sendKeys('1');
        $this->press('[data-run]');
        $this->reads('[data-before-after]', 'of the pixels changed');
        $this->see('[data-after=C]');
        foreach ($at as $name => [$col, $row]) {
            [$before, $after] = $this->told($name);
            self::assertGreaterThan(0.04, abs($before - $truth[$row * 600 + $col]), $name);
            self::assertLessThan(0.01, abs($after - $truth[$row * 600 + $col]), $name);
        }

        // a bad line is filled: counts as they would have been
        [$date, $later, $sky, $elevation, $azimuth, $seed, $east, $south] = Simulator::SCENES['orvane-2033'];
        $whole = (new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed, east: $east, south: $south))->countsOf(3);
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.lines"]');
        $this->choose('#input-image', "$second/multispectral");
        $this->press('[data-run]');
        $this->reads('[data-before-after]', 'of the pixels changed');
        $line = collect($this->get('studies/1')['steps'])->firstWhere('kind', 'correct.lines')['figures']['bad'][3]['lines'][0]['line'] - 1;
        $this->peg(420, $line, 'bad line');
        $this->open('/studies/1');
        $this->press('[data-step="'.collect($this->get('studies/1')['steps'])->firstWhere('kind', 'correct.lines')['number'].'"]');
        $this->see('[data-before-after] table');
        $this->browser->findElement(WebDriverBy::xpath('//*[@data-before-after]//option[normalize-space()="nir"]'))->click();
        $this->reads('[data-before-after] table', 'nir');
        $this->see('[data-after=D]');
        [$before, $after] = $this->told('D');
        self::assertLessThan(0.25 * abs($before - $whole[$line * 600 + 420]), abs($after - $whole[$line * 600 + 420]));

        // the grain of radar over open water
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.speckle"]');
        $this->choose('#input-image', "$radar/image");
        $this->choose('#setting-filter', 'boxcar');
        $this->see('#setting-looks')->clear()->sendKeys('4');
        $this->press('[data-run]');
        $this->reads('[data-before-after]', 'of the pixels changed');
        $this->see('[data-after=A]');
        $cover = Cover::from(Reduce::mode(Landscape::at(false)->cover, Landscape::SIZE, Landscape::SIZE)[220 * 600 + 100]);
        self::assertLessThan(1.2, abs(10 * log10($this->told('A')[1]) - Radar::decibel($cover, false)));

        // and the same in fewer, coarser pixels, in decibel
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.backscatter"]');
        $this->choose('#input-image', "$radar/image");
        foreach (['columns', 'rows'] as $side) {
            $this->see("#setting-$side")->clear()->sendKeys('5');
        }
        $this->press('[data-run]');
        $this->reads('[data-before-after]', 'of the pixels changed');
        $this->see('[data-after=A]');
        self::assertLessThan(1.5, abs($this->told('A')[1] - Radar::decibel($cover, false)));
        $this->noErrors();
    }

    public function test_the_air_is_taken_out_while_spectra_move_towards_their_signatures(): void
    {
        $first = $this->step(['kind' => 'correct.calibrate', 'inputs' => ['image' => ['step' => 1, 'output' => 'multispectral']]]);
        $at = ['A' => [520, 330], 'B' => [300, 120]];
        foreach ($at as $name => [$col, $row]) {
            $this->peg($col, $row, "place $name");
        }
        $this->open('/studies/1');
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.surface"]');
        self::assertSame("$first/result", $this->see('#input-image')->getAttribute('value'), 'what was calibrated is offered');
        // it starts from what the atmosphere service tells
        $this->reads('[data-asked]', 'from the atmosphere service');
        $air = Air::on('2031-05-12', 'clear')->told('2031-05-12');
        $this->until(fn (): bool => abs((float) $this->see('#setting-aot550')->getAttribute('value') - $air->aot550) < 1e-5);
        self::assertEqualsWithDelta($air->water, (float) $this->see('#setting-water-vapour')->getAttribute('value'), 1e-4);
        $this->see('[data-fit=B]');
        $fit = fn (string $peg): array => [
            self::value(rtrim($this->text("[data-fit=$peg] [data-angle]"), '°')),
            self::value($this->text("[data-fit=$peg] [data-rmse]")),
        ];
        // the truth is bare soil at B; said so, it stays so
        $this->browser->findElement(WebDriverBy::xpath('//*[@data-fit="B"]//option[normalize-space()="bare soil"]'))->click();
        $this->until(fn (): bool => $this->get('studies/1')['pegs'][1]['signature'] === 'bare soil');
        // under the air that the service tells
        $this->until(fn (): bool => $fit('B')[0] < 1.5);
        $good = $fit('B');

        // thicker air makes its fit worse, and the line moves at once
        $line = fn (): string => (string) $this->see('[data-spectrum=B]')->getAttribute('points');
        $before = $line();
        $this->fill('#setting-visibility', '8');
        $this->until(fn (): bool => $line() !== $before);
        self::assertSame('', $this->see('#setting-aot550')->getAttribute('value'), 'the visibility stands for the optical depth');
        $this->until(fn (): bool => $fit('B')[0] > 2 * $good[0]);
        // drawn along, it moves again
        $before = $line();
        $this->see('[data-setting=water-vapour] input[type=range]')->sendKeys(WebDriverKeys::ARROW_RIGHT);
        $this->fill('#setting-elevation', '2500');
        $this->until(fn (): bool => $line() !== $before);
        // what can't be is told by the setting
        $this->fill('#setting-visibility', '900');
        $this->reads('[data-setting=visibility] [role=alert]', 'must be between 1 and 300 km');
        $this->press('[data-ask-air]');
        $this->until(fn (): bool => abs((float) $this->see('#setting-aot550')->getAttribute('value') - $air->aot550) < 1e-5);
        $this->until(fn (): bool => abs($fit('B')[0] - $good[0]) < 0.01);

        // run: the readings come near the truth, in per cent
        $this->press('[data-run]');
        $this->reads('[data-before-after]', 'of the pixels changed');
        $this->see('[data-after=B]');
        self::assertStringEndsWith('%', $this->text('[data-after=B]'));
        [$date, $later, $sky, $elevation, $azimuth, $seed] = Simulator::SCENES['orvane-2031'];
        $truth = (new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed))->lit(0);
        foreach ($at as $name => [$col, $row]) {
            [$was, $is] = $this->told($name);
            self::assertGreaterThan(0.04, abs($was - $truth[$row * 600 + $col]), $name);
            self::assertLessThan(0.01, abs($is - $truth[$row * 600 + $col]), $name);
        }

        // measured signatures are added, and stand beside the others
        file_put_contents("$this->folder/measured.csv", "nm;my field\n400;4,1\n2500;25\n");
        $this->browser
            ->findElement(WebDriverBy::cssSelector('[data-add-signatures]'))
            ->setFileDetector(new LocalFileDetector())
            ->sendKeys("$this->folder/measured.csv");
        $this->until(fn (): bool => $this->browser->findElements(WebDriverBy::xpath('//*[@data-fit="B"]//option[normalize-space()="my field"]')) !== []);
        $this->noErrors();
    }

    public function test_clouds_are_masked_and_filled_and_haze_comes_off(): void
    {
        $cloudy = $this->order('velisande-level1', 'VL1_ORVANE_20320720', ['multispectral', 'quality']);
        $clear = $this->order('velisande-level1', 'VL1_ORVANE_20330603');
        $first = $this->step(['kind' => 'correct.calibrate', 'inputs' => ['image' => ['step' => $cloudy, 'output' => 'multispectral']]]);
        $later = $this->step(['kind' => 'correct.calibrate', 'inputs' => ['image' => ['step' => $clear, 'output' => 'multispectral']]]);
        // a place under a cloud and one beside, in woodland; then two under haze on the other date
        $scene = Catalogue::scenes()['VL1_ORVANE_20320720'];
        $clouds = Clouds::over(Landscape::SIZE, 10.0, $scene->clouds, $scene->sunElevation, $scene->sunAzimuth, $scene->seed + 77);
        self::assertNotNull($clouds);
        $cover = Reduce::mode(Landscape::at(true)->cover, Landscape::SIZE, Landscape::SIZE);
        $find = function (\Closure $isSo) use ($cover): array {
            foreach (range(40, 560, 4) as $row) {
                foreach (range(40, 560, 4) as $col) {
                    if ($cover[$row * 600 + $col] === Cover::Wood->value && $isSo(2 * $row * Landscape::SIZE + 2 * $col)) {
                        return [$col, $row];
                    }
                }
            }
            self::fail('There is no such place.');
        };
        $at = [
            'A' => $find(fn (int $k): bool => $clouds->density[$k] > 0.9 && $clouds->density[$k + 4] > 0.9 && $clouds->density[$k + 4 * Landscape::SIZE] > 0.9),
            'B' => $find(
                fn (int $k): bool => $clouds->density[$k] === 0.0 &&
                    $clouds->shadow[$k] === 0.0 &&
                    $clouds->density[$k + 8] === 0.0 &&
                    $clouds->density[$k - 8] === 0.0,
            ),
            'C' => [355, 112],
            'D' => [546, 231],
        ];
        foreach ($at as $name => [$col, $row]) {
            $this->peg($col, $row, "place $name");
        }
        $this->open('/studies/1');

        // by the quality bits
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.mask"]');
        $this->choose('#input-image', "$cloudy/quality");
        $this->press('[data-run]');
        $this->reads('[data-peg-row=A]', 'cloud');
        $this->reads('[data-peg-row=B]', 'clear');
        $mask = collect($this->get('studies/1')['steps'])->firstWhere('kind', 'correct.mask')['id'];

        // clouds and their shadows are gaps, filled from the other date
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.gaps"]');
        $this->choose('#input-image', "$first/result");
        $this->choose('#input-other', "$later/result");
        $this->choose('#input-mask', "$mask/result");
        $this->fill('#setting-codes', '2, 3');
        $this->press('[data-run]');
        $this->reads('[data-before-after]', 'of the pixels changed');
        $this->see('[data-after=A]');
        $truth = OpticalScene::of(
            new CatalogueScene(
                $scene->id,
                $scene->collection,
                $scene->datetime,
                0.0,
                $scene->window,
                $scene->sunElevation,
                $scene->sunAzimuth,
                $scene->later,
                $scene->seed,
                $scene->sky,
            ),
        )->cloudless(0, true);
        [$before, $after] = $this->told('A');
        [$col, $row] = $at['A'];
        self::assertGreaterThan(0.2, abs($before - $truth[$row * 600 + $col]));
        self::assertLessThan(0.05, abs($after - $truth[$row * 600 + $col]));
        // what was no gap is as it was
        [$before, $after] = $this->told('B');
        self::assertSame($before, $after);

        // the bank of haze over the woodland
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.haze"]');
        $this->choose('#input-image', "$later/result");
        // tried first, it learns from the whole, and says so
        $this->press('[data-try]');
        $this->reads('[data-learnt]', 'from an overview of the whole image');
        $this->press('[data-run]');
        $this->reads('[data-before-after]', 'of the pixels changed');
        $this->see('[data-after=D]');
        [$date, $later, $sky, $elevation, $azimuth, $seed, $east, $south] = Simulator::SCENES['orvane-2033'];
        $truth = (new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed, east: $east, south: $south))->cloudless(0);
        foreach (['C', 'D'] as $name) {
            [$col, $row] = $at[$name];
            [$before, $after] = $this->told($name);
            self::assertGreaterThan(0.02, $before - $truth[$row * 600 + $col], $name);
            self::assertLessThan(0.65 * ($before - $truth[$row * 600 + $col]), abs($after - $truth[$row * 600 + $col]), $name);
        }
        $this->noErrors();
    }

    public function test_an_image_of_the_sensors_geometry_lies_in_place_and_comes_onto_the_map(): void
    {
        $radar = $this->order('cassavel-complex', 'CS1_SINGLE_20310420');
        $item = collect($this->get('studies/1')['steps'])->firstWhere('id', $radar)['items'][0];
        // a look in map geometry before any step: its corner lies near where it is
        self::assertTrue($item['raster']['warped']);
        file_put_contents("$this->folder/complex.tif", (string) file_get_contents("http://127.0.0.1:$this->port/api/items/{$item['id']}/file"));
        $image = new GeoTiffImage("$this->folder/complex.tif");
        $at = ['A' => [60, 80], 'B' => [400, 300], 'C' => [240, 470]];
        foreach ($at as $name => [$col, $row]) {
            [$x, $y] = ComplexRadar::place($col + 0.5, $row + 0.5);
            $this->send('POST', 'api/studies/1/pegs', ['x' => $x, 'y' => $y, 'name' => $name]);
        }
        $this->open('/studies/1');
        $this->press('[data-stage=correct]');
        $this->press('[data-kind="correct.geocode"]');
        $this->choose('#input-image', "$radar/image");
        // turned against the views: its ground shows, beyond its corner nothing does
        $this->reads('[data-caption=a]', 'hh magnitude–hv magnitude–vv magnitude');
        $this->colourAt('a', 'B', fn (int $r, int $g, int $b): bool => $r + $g + $b > 30);
        $this->choose('#setting-transform', 'cubic');
        $this->choose('#setting-resampling', 'nearest');
        $this->press('[data-run]');
        $this->see('[data-rmse]');
        self::assertLessThan(0.1, (float) $this->text('[data-rmse]'));
        self::assertSame('36', $this->see('[data-view=b]')->getAttribute('data-arrows'));
        $this->drawnAt('b', 0, 0, 150);
        // each peg reads the very pixel that saw its place, magnitude of hh
        $this->reads('[data-before-after] table', 'hh magnitude');
        $this->see('[data-after=C]');
        foreach ($at as $name => [$col, $row]) {
            $value = Codec::values($image->read(0, new Window($col, $row, 1, 1)), $image->spec()->type, $image->spec()->nodata)[0];
            self::assertEqualsWithDelta($value, $this->told($name)[1], 0.002 * $value + 1e-4, $name);
        }
        // one struck out: the fit follows at once
        $this->browser->executeScript('document.querySelector("[data-tie-points]").scrollIntoView()');
        $this->press('[data-tie-points] [data-strike]');
        $this->reads('[data-tie-points] p', '1 excluded');
        $this->noErrors();
    }
}
