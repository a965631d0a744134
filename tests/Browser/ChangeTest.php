<?php

namespace Tests\Browser;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Values;
use Chorometra\Demo\Cover;
use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;

/** From two dates to the hectares that changed, with their interval, and what became of each class; held against what truly changed. */
class ChangeTest extends BrowserTestCase
{
    /** Square metres of a pixel of the demo. */
    private const PIXEL = 400.0;

    private static function truth(string $year): GeoTiffImage
    {
        return new GeoTiffImage(dirname(__DIR__, 2)."/storage/demo/orvane-$year-truth.tif");
    }

    /** Whether what grew on a place is gone: near infrared falls far. */
    private static function isLost(int $before, int $after): bool
    {
        [$was, $is] = [Cover::from($before), Cover::from($after)];

        return $was->grows() && ! $is->grows();
    }

    public function test_from_two_dates_to_hectares_of_change_with_their_interval(): void
    {
        $first = $this->surface('2031');
        $second = $this->surface('2033');
        $onto = $this->made('correct.coregister', ['moving' => self::of($second), 'reference' => self::of($first)]);
        $this->open('/studies/1');
        // a peg where the sea broke in, one in woodland that stays
        foreach ([[249, 440], [450, 150]] as [$col, $row]) {
            [$x, $y] = self::truth('2031')->spec()->grid->toMap($col + 0.5, $row + 0.5);
            $this->send('POST', 'api/studies/1/pegs', ['x' => $x, 'y' => $y]);
        }
        $this->open('/studies/1');
        $this->press('[data-stage=compare]');
        $this->press('[data-kind="compare.difference"]');

        // two dates are proposed in their order; turned round it is asked, and put right by a click
        self::assertSame([$first, $onto], array_map($this->chosen(...), ['before', 'after']));
        $this->choose('#input-before', "$onto/result");
        $this->choose('#input-after', "$first/result");
        $this->reads('[data-against]', 'turn them round, or gains will read as losses');
        $this->press('[data-turn]');
        $this->until(fn (): bool => [$first, $onto] === array_map($this->chosen(...), ['before', 'after']));
        $this->gone('[data-about=order]');

        // limits on the histogram, with the pegs' ticks, seen at once
        $this->press('[data-try]');
        $this->see('[data-trial]');
        $this->choose('#set-limits', 'deviations');
        $this->choose('#setting-spread', 'robust');
        $this->press('[data-try]');
        $this->see('[data-tails] [data-handle="1"]');
        $this->see('#set-above')->sendKeys([WebDriverKeys::CONTROL, 'a', WebDriverKeys::NULL, WebDriverKeys::DELETE, WebDriverKeys::TAB]);
        $this->fill('#set-below', '-3');
        $this->reads('[data-tails]', 'Beyond the limits: peg A; within: B');
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $r > $g + 20 && $b > $g);
        $share = $this->text('[data-share=below]');
        foreach (range(1, 4) as $press) {
            $this->see('[data-tails] [data-handle="0"]')->sendKeys(WebDriverKeys::PAGE_UP);
        }
        $this->until(fn (): bool => $this->text('[data-share=below]') !== $share);
        $this->fill('#set-below', '-3');
        $this->press('[data-run]');
        $this->see('[data-download=changes]');

        // change goes on as any class map: sieved, then checked
        $difference = (int) collect($this->get('studies/1')['steps'])->firstWhere('kind', 'compare.difference')['id'];
        $sieved = $this->made('classify.sieve', ['classes' => self::of($difference, 'changes')], ['minimum' => 50]);
        $draw = $this->made('assess.draw', ['map' => self::of($sieved, 'classes')], ['points' => 60, 'allocation' => 'own', 'own' => [40, 20], 'seed' => 4]);
        $this->open('/studies/1');
        $this->press("[data-step=\"{$this->number($draw)}\"]");
        $this->label($draw);

        // the matrix of the sieved map, and its hectares with their interval beside what the map says
        $this->made('assess.matrix', ['map' => self::of($sieved, 'classes'), 'points' => self::of($draw)]);
        $this->open('/studies/1');
        $this->press("[data-step=\"{$this->number($sieved)}\"]");
        $this->reads('[data-adjusted="less nir"]', '±');
        preg_match('/([\d.]+) .* ± ([\d.]+)/', $this->text('[data-adjusted="less nir"]'), $told);
        $unit = str_contains($this->text('[data-adjusted="less nir"]'), 'km²') ? 100.0 : 1.0;
        self::assertLessThan((float) $told[2], abs($this->lost() / $unit - (float) $told[1]), 'the true hectares lie inside');
        // the map that it was sieved from was not checked itself
        $this->press("[data-step=\"{$this->number($difference)}\"]");
        $this->see('[data-download=changes]');
        self::assertCount(0, $this->browser->findElements(WebDriverBy::cssSelector('[data-adjusted]')));
        $this->noErrors();
    }

    public function test_what_became_of_each_class_and_both_dates_in_one_picture(): void
    {
        $maps = [];
        foreach (['2031', '2033'] as $year) {
            $scene = $this->made('gather.bundle', ['image' => ['demo' => "orvane-$year.tar.gz"]], ['groups' => ['multispectral']]);
            $calibrated = $this->made('correct.calibrate', ['image' => self::of($scene, 'multispectral')]);
            $index = $this->made('derive.index', ['image' => self::of($calibrated)], ['index' => 'ndvi']);
            $maps[] = $this->made('segment.slice', ['image' => self::of($index)], ['limits' => [0.2], 'names' => ['bare', 'green']]);
        }
        foreach ([[249, 440], [450, 150]] as [$col, $row]) {
            [$x, $y] = self::truth('2031')->spec()->grid->toMap($col + 0.5, $row + 0.5);
            $this->send('POST', 'api/studies/1/pegs', ['x' => $x, 'y' => $y]);
        }
        $this->open('/studies/1');
        $this->press('[data-stage=compare]');
        $this->press('[data-kind="compare.classes"]');
        // a map of each date is proposed, the earlier first
        $this->reads('[data-input=maps]', 'classes');
        $this->press('[data-run]');
        $this->see('[data-flows]');
        $compared = collect($this->get('studies/1')['steps'])->firstWhere('kind', 'compare.classes')['id'];
        self::assertSame(array_map(fn (int $map): array => self::of($map, 'classes'), $maps), array_values($this->get("steps/$compared")['inputs']));

        // a band points at its pixels: the sea broke in at A, and B stays green; all but that is dim
        $flows = collect($this->get("steps/$compared")['figures']['flows']['whole']);
        $lost = $flows->firstWhere(fn (array $flow): bool => $flow['from'] === 'green' && $flow['to'] === 'bare');
        self::assertGreaterThan(0.01, $lost['share']);
        $this->see('[data-flow="green/bare"]')->sendKeys(WebDriverKeys::ENTER);
        $this->reads('[data-pointed]', 'green to bare');
        $dim = fn (int $r, int $g, int $b): bool => max($r, $g, $b) < 90;
        $this->colourAt('a', 'B', $dim);
        $this->colourAt('a', 'A', fn (int $r, int $g, int $b): bool => ! $dim($r, $g, $b));
        // and nothing is dim any more
        $this->see('[data-flow="green/bare"]')->sendKeys(WebDriverKeys::ESCAPE);
        $this->colourAt('a', 'B', fn (int $r, int $g, int $b): bool => ! $dim($r, $g, $b));

        // the map reads “green to bare”, and goes on as any other
        $changes = collect($this->get("steps/$compared")['items'])->firstWhere('output', 'changes');
        self::assertContains('green to bare', array_column($changes['raster']['legend'], 'name'));

        // both dates in one picture by one choice: red where it was more, grey where nothing changed
        $this->press('[data-step="7"]');
        $this->press('[data-caption=b] [data-times]');
        $this->press('[data-with="2031-05-12"]');
        $this->reads('[data-caption=b]', 'red and');
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $r > $g + 30 && abs($g - $b) < 4);
        $this->noErrors();
    }

    public function test_two_people_label_the_same_points_and_settle_what_they_differ_on(): void
    {
        $scene = $this->made('gather.bundle', ['image' => ['demo' => 'orvane-2031.tar.gz']], ['groups' => ['multispectral']]);
        $index = $this->made('derive.index', ['image' => self::of($scene, 'multispectral')], ['index' => 'ndwi']);
        $map = $this->made('segment.slice', ['image' => self::of($index)], ['limits' => [0.1], 'names' => ['land', 'water']]);
        $draw = $this->made('assess.draw', ['map' => self::of($map, 'classes')], ['points' => 4]);
        $this->open('/studies/1');
        $this->press("[data-step=\"{$this->number($draw)}\"]");
        foreach (['Ada' => ['1', '1', '2', '2'], 'Ben' => ['1', '2', '2', '2']] as $person => $keys) {
            $this->fill('[data-person]', $person);
            $this->press('[data-label-points]');
            // what the other said is not seen
            $this->reads('[data-check]', '0 of 4 labelled');
            foreach ($keys as $k => $key) {
                $this->reads('[data-point]', (string) ($k + 1));
                $this->keys($key);
                $this->reads('[data-check]', ($k + 1).' of 4 labelled');
            }
            $this->press('[data-done]');
        }
        $this->reads('[data-agreement]', 'Ada and Ben agree on 75.0 % of 4 points');
        $this->press('[data-settle]');
        $this->reads('[data-others]', 'Ada: land · Ben: water');
        $this->keys('2');
        $this->until(fn (): bool => $this->get('drawings/'.$this->drawn($draw))['marks'][1]['class'] === 'water');
        $this->press('[data-done]');
        $this->gone('[data-settle]');
        $this->noErrors();
    }

    /** By keyboard alone: counts while it goes on, the figures when all is done, and what a correction changes. */
    private function label(int $draw): void
    {
        $this->press('[data-label-points]');
        $drawing = $this->drawn($draw);
        [$before, $after] = [self::truth('2031'), self::truth('2033')];
        $keys = [];
        foreach ($this->get("drawings/$drawing")['marks'] as $i => $point) {
            [$x, $y] = $point['geometry']['coordinates'];
            $keys[] = self::isLost((int) Values::codeAt($before, $x, $y), (int) Values::codeAt($after, $x, $y)) ? '1' : '2';
            $this->reads('[data-point]', (string) $point['number']);
            if ($i === 0) {
                // how sure, and what it may be as well
                $this->keys('u');
                $this->reads('[data-sure][aria-pressed=true]', 'sure');
                $this->keys('z');
                $this->reads('[data-zoom][aria-pressed=true]', 'around');
                $this->see('[data-point-spectrum] path');
            }
            $this->keys($keys[$i]);
            $this->reads('[data-check]', ($i + 1).' of 60 labelled');
            if ($i === 3) {
                self::assertCount(0, $this->browser->findElements(WebDriverBy::cssSelector('[data-matrix]')), 'blind while it goes on');
            }
        }
        self::assertContains('1', $keys);
        self::assertContains('2', $keys);
        $this->see('[data-matrix]');
        // a label corrected shows what it changes, and is undone
        $this->keys($keys[59] === '1' ? '2' : '1');
        $this->reads('[data-changes]', 'overall');
        $this->browser->getKeyboard()->sendKeys([WebDriverKeys::CONTROL, 'z']);
        $this->browser->getKeyboard()->releaseKey(WebDriverKeys::CONTROL);
        $name = ['1' => 'less nir', '2' => 'unchanged'][$keys[59]];
        $this->until(fn (): bool => $this->get("drawings/$drawing")['marks'][59]['class'] === $name);
        $this->reads('[data-class][aria-pressed=true]', $name);
        // a cell leads to its points
        $this->press('[data-cell="less nir/less nir"]');
        $this->reads('[data-cell-at]', 'Point 1 of');
        $this->press('[data-done]');
        $this->see('[data-label-points]');
    }

    /** Hectares that truly lost what grew there, where both dates were seen. */
    private function lost(): float
    {
        $codes = array_map(function (string $year): array {
            $truth = self::truth($year);

            return Values::codes($truth, new Window(0, 0, $truth->spec()->grid->width, $truth->spec()->grid->height));
        }, ['2031', '2033']);

        return self::PIXEL / 1e4 * count(array_filter(array_map(self::isLost(...), ...$codes)));
    }

    private function chosen(string $input): int
    {
        return (int) $this->see("#input-$input")->getAttribute('value');
    }

    private function drawn(int $step): int
    {
        return collect($this->get('studies/1')['drawings'])->firstWhere('step', $step)['id'];
    }

    private function number(int $step): int
    {
        return collect($this->get('studies/1')['steps'])->firstWhere('id', $step)['number'];
    }
}
