<?php

namespace Tests\Browser;

use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Values;
use Facebook\WebDriver\Interactions\WebDriverActions;
use Facebook\WebDriver\WebDriverKeys;

/** Two dates cut together by a limit that is drawn along, shaded by what changed, and read piece by piece. */
class SegmentTest extends BrowserTestCase
{
    /** @return array{int, int} steps of both dates in reflectance */
    private function dates(): array
    {
        $this->until(fn (): bool => ($this->get('steps/1')['state'] ?? '') === 'done');
        $first = $this->made('correct.calibrate', ['image' => ['step' => 1, 'output' => 'multispectral']]);
        $second = $this->made('gather.bundle', ['image' => ['demo' => 'orvane-2033.tar.gz']], ['groups' => ['multispectral']]);

        return [$first, $this->made('correct.calibrate', ['image' => ['step' => $second, 'output' => 'multispectral']])];
    }

    /** Pixels of a view that are as dark as the edges of segments, and those that are painted at all. */
    private function dark(string $view): int
    {
        return $this->browser->executeScript(<<<'JS'
            const canvas = document.querySelector(`[data-view=${arguments[0]}] .raster canvas`);
            const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
            let dark = 0;
            for (let i = 0; i < data.length; i += 4) if (data[i + 3] && Math.max(data[i], data[i + 1], data[i + 2]) < 62) dark++;
            return dark;
            JS, [$view]);
    }

    private function number(string $text): float
    {
        return (float) str_replace(['−', ' ', ' '], ['-', '', ''], (string) preg_replace('/[^\d.,−  -]/u', '', $text));
    }

    public function test_two_dates_are_cut_shaded_and_read(): void
    {
        [$before, $after] = $this->dates();
        // amid the fields
        $this->send('POST', 'api/studies/1/pegs', ['x' => 438_000, 'y' => 6_067_400]);
        $this->open('/studies/1');
        $this->press('[data-stage=segment]');
        $this->press('[data-kind="segment.merge"]');
        $this->reads('[data-input=images]', 'TOA reflectance');
        // a piece is cut at once, and the curve stands first
        $this->see('[data-limit-plot]');
        $this->fill('[data-name="0"]', 'before');
        $this->fill('[data-name="1"]', 'after');
        foreach (['blue', 'green', 'swir1', 'swir2'] as $band) {
            $this->press("[data-band=\"before.$band\"]");
            $this->press("[data-band=\"after.$band\"]");
        }
        $this->reads('[data-band="after.nir"]', '25 %');
        // chosen otherwise, it is cut anew by itself
        $this->gone('[data-limit-plot]');
        $this->reads('[data-limit-plot]', 'segments');
        $this->reads('[data-caption=b]', 'trial');

        // drawn along, pieces join in the view without another run
        $count = fn (): int => (int) $this->browser->executeScript(
            'return Number(document.querySelector("[data-limit-plot] [role=slider]").getAttribute("aria-valuetext").match(/, (\d+) /)[1])',
        );
        $this->until(fn (): bool => $count() > 50);
        $this->browser->executeScript('document.querySelector("[data-view=a] [role=application]").focus()');
        for ($i = 0; $i < 3; $i++) {
            $this->browser->getKeyboard()->sendKeys('+');
        }
        $this->until(fn (): bool => $this->dark('b') > 1.02 * $this->dark('a'));
        [$many, $edges] = [$count(), $this->dark('b')];
        $requests = fn (): int => (int) $this->browser->executeScript(
            'return performance.getEntriesByType("resource").filter((one) => /trials/.test(one.name)).length',
        );
        $asked = $requests();
        $plot = $this->see('[data-limit-plot]');
        $wide = (int) $plot->getSize()->getWidth();
        $drag = fn (float $from, float $to): null => (new WebDriverActions($this->browser))
            ->moveToElement($plot, (int) ($from * $wide), 0)->clickAndHold()->moveByOffset((int) (($to - $from) * $wide), 0)->release()->perform();
        $drag(0.05, 0.4);
        $this->until(fn (): bool => $count() < 0.6 * $many);
        $this->until(fn (): bool => $this->dark('b') < 0.97 * $edges);
        $coarse = $this->dark('b');
        // and part again
        $this->see('[data-limit-plot] [role=slider]')->sendKeys([WebDriverKeys::PAGE_DOWN, WebDriverKeys::PAGE_DOWN, WebDriverKeys::PAGE_DOWN]);
        $this->until(fn (): bool => $this->dark('b') > 1.01 * $coarse);
        self::assertSame($asked, $requests());
        $this->fill('[data-setting=merge-limit]', '20');

        $this->press('[data-run]');
        $this->see('[data-download=segments]');
        $steps = array_column($this->get('studies/1')['steps'], null, 'kind');
        $merge = $steps['segment.merge'];
        self::assertSame(['before.red', 'before.nir', 'after.red', 'after.nir'], array_map(trim(...), $merge['settings']['bands']));
        self::assertSame([$before, $after], [$merge['inputs']['images:1']['step'], $merge['inputs']['images:2']['step']]);

        // measured, with the same images
        $this->press('[data-measure-them]');
        $this->reads('[data-input=segments]', 'segments');
        $this->see('[data-name="0"]');
        self::assertSame('before', $this->see('[data-name="0"]')->getDomProperty('value'));
        $this->see('[data-lines=formulas], #setting-formulas')->sendKeys('change = ndvi(before) - ndvi(after)');
        $this->press('[data-run]');
        $this->fill('[data-shade-by]', 'ndvi(before) - ndvi(after)');
        $this->press('[data-set-limit]');
        $this->fill('[data-limit]', '0.1');
        $measures = array_column($this->get('studies/1')['steps'], null, 'kind')['segment.measure']['items'][0]['id'];
        $rows = $this->get("items/$measures/rows?count=1000&columns[]=segment&columns[]=change&columns[]=pixels")['rows'];
        $all = $this->get("items/$measures/rows?count=0")['count'];
        for ($from = 1000; $from < $all; $from += 1000) {
            array_push($rows, ...$this->get("items/$measures/rows?from=$from&count=1000&columns[]=segment&columns[]=change&columns[]=pixels")['rows']);
        }
        $beyond = array_filter($rows, fn (array $row): bool => $row[1] !== null && $row[1] >= 0.1);
        self::assertNotSame([], $beyond);
        $this->until(fn (): bool => str_starts_with(str_replace(' ', '', $this->text('[data-beyond]')), count($beyond).'segments'));
        $share = array_sum(array_column($beyond, 2)) / array_sum(array_column($rows, 2));
        self::assertStringContainsString(sprintf('%.1f %%', 100 * $share), $this->text('[data-beyond]'));

        // a limit above all fades everything, one below all nothing: seen in the view
        $this->fill('[data-limit]', '9');
        $this->reads('[data-beyond]', '0 segments');
        $faded = $this->light('b');
        $this->fill('[data-limit]', '-9');
        $this->until(fn (): bool => $this->light('b') !== $faded);

        // the peg reads the segment that it lies in, and the card its measures: those of its pixels
        $segments = array_column($merge['items'], null, 'output')['segments']['id'];
        $number = (int) $this->get("items/$segments/values?points=438000,6067400")[0][0];
        $this->until(fn (): bool => (int) $this->number($this->text('[data-peg-row=A] [data-value*=segments]')) === $number);
        $this->browser->executeScript('document.querySelector("[data-peg-row=A] button").click()');
        $map = $this->see('[data-view=b] [role=application]');
        $this->browser->action()->moveToElement($map, 1, 1)->perform();
        $this->reads('[data-segment-card]', "segment $number");
        $item = array_column($this->get("steps/$before")['items'], null, 'output')['result'];
        $image = $this->file($item['id']);
        $grid = $image->spec()->grid;
        $whole = new Window(0, 0, $grid->width, $grid->height);
        $labels = $this->file($segments);
        $codes = Values::codes($labels, $whole);
        $values = Values::of($image, array_column($item['raster']['bands'], 'number', 'role')['nir'] - 1, $whole);
        $own = array_map(fn (int $i): float => $values[$i], array_keys($codes, $number, true));
        $shown = $this->number($this->text('[data-segment-card] [data-measure="mean(before.nir)"]'));
        self::assertEqualsWithDelta(100 * array_sum($own) / count($own), $shown, 0.006);
        self::assertSame(count($own), (int) $this->number($this->text('[data-segment-card] [data-measure=pixels]')));

        // chosen by a click, one more with Shift, and marked in the scatter's box
        $this->browser->action()->moveToElement($map, 1, 1)->click()->perform();
        $this->reads('[data-chosen]', '1 chosen');
        $this->browser->action()->moveToElement($map, -90, -120)->keyDown(null, WebDriverKeys::SHIFT)->click()->keyUp(null, WebDriverKeys::SHIFT)->perform();
        $this->reads('[data-chosen]', '2 chosen');
        $this->fill('[data-against]', 'mean(after.nir)');
        $scatter = $this->see('[data-scatter] svg');
        [$wide, $high] = [(int) $scatter->getSize()->getWidth(), (int) $scatter->getSize()->getHeight()];
        (new WebDriverActions($this->browser))->moveToElement($scatter, (int) (-0.3 * $wide), (int) (-0.4 * $high))->clickAndHold()
            ->moveByOffset((int) (0.75 * $wide), (int) (0.7 * $high))->release()->perform();
        $this->until(fn (): bool => $this->number($this->text('[data-chosen]')) > 20);
        $this->keys(WebDriverKeys::ESCAPE);
        $this->gone('[data-chosen]');

        // the table in the drawer: sorted, a row leads to its segment
        $this->press('[data-drawer]');
        $this->press('[data-order=pixels]');
        $this->press('[data-order=pixels]');
        usort($rows, fn (array $a, array $b): int => $b[2] <=> $a[2]);
        $this->until(fn (): bool => (int) $this->number($this->text('[data-segment-table] [data-row="0"] td')) === $rows[0][0]);
        $this->press('[data-segment-table] [data-row="0"] button');
        $this->reads('[data-chosen]', '1 chosen');
        $this->noErrors();
    }
}
