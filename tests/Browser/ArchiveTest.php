<?php

namespace Tests\Browser;

use Facebook\WebDriver\WebDriverBy;

/** From the archive into the study, over a line that breaks off. */
class ArchiveTest extends BrowserTestCase
{
    public function test_search_order_and_arrival_with_a_break_on_the_way(): void
    {
        $this->behave(['rate' => 6_000_000, 'pause' => 0.3, 'torn' => 2, 'busy' => 2]);
        $this->open('/studies/1');
        // the demo began with an order
        $this->see('[data-caption=b] button.part');
        $this->reads('[data-step="1"]', 'VL1_ORVANE_20310512');

        // an area drawn on the bench
        $this->press('[data-stage=gather]');
        $this->press('[data-draw-area]');
        $map = $this->see('[data-view=a] [role=application]');
        foreach ([[-90, -80], [90, -80], [90, 60], [-90, 60]] as [$x, $y]) {
            $this->browser->action()->moveToElement($map, $x, $y)->click()->perform();
        }
        // as it is drawn, in both views
        $this->drawnAt('a', 90, 0);
        $this->drawnAt('b', 90, 0);
        $this->browser->action()->moveToElement($map, -90, -80)->click()->perform();
        $this->reads('[data-area-size]', 'ha, outlined in the views');
        $area = $this->get('studies/1')['area'];
        foreach (['a', 'b'] as $view) {
            foreach ([[-90, 0], [90, 0], [0, -80], [0, 60]] as [$x, $y]) {
                $this->drawnAt($view, $x, $y, 8);
            }
            $this->drawnAt($view, 0, 0, 8, false);
        }
        // undone and done again
        $this->keys('');
        $this->press('[aria-label=Undo]:enabled');
        $this->until(fn (): bool => $this->get('studies/1')['area'] === null);
        $this->press('[aria-label=Redo]:enabled');
        $this->until(fn (): bool => $this->get('studies/1')['area'] === $area);

        // the archive is searched by it, and asked again when it is busy
        $this->press('[data-page=archive]');
        $this->reads('[data-found]', 'scenes found');
        self::assertEqualsWithDelta($area['bounds'][0], (float) $this->see('[data-bound=west]')->getAttribute('value'), 1e-5);
        $all = count($this->browser->findElements(WebDriverBy::cssSelector('[data-mark]')));
        self::assertGreaterThan(25, $all);
        self::assertGreaterThan(0, count($this->browser->findElements(WebDriverBy::cssSelector('[data-scenes] img'))));
        // fewer days, fewer scenes
        $this->fill('[data-from]', '2033-01-01');
        $this->press('[data-search]');
        $this->until(fn (): bool => count($this->browser->findElements(WebDriverBy::cssSelector('[data-mark]'))) < $all);
        $this->reads('[data-found]', 'was asked again');
        $this->fill('[data-to]', 'soon');
        $this->press('[data-search]');
        $this->until(fn (): bool => str_contains($this->browser->getPageSource(), 'Write the last day as 2031-05-12.'));
        $this->fill('[data-to]', '2033-12-31');
        $this->press('[data-search]');
        $this->until(fn (): bool => ! str_contains($this->browser->getPageSource(), 'Write the last day'));

        // one that is there, one that has to be ordered, in another CRS
        $this->press('[data-mark="VL1_ORVANE_20330603"]');
        $this->press('[data-mark="CS1_ORVANE_20330326"]');
        $this->reads('[data-picked]', '2 chosen');
        self::assertMatchesRegularExpression('/cover (100|9\d) % of the area/', $this->text('[data-picked]'));
        $this->press('[data-order]');
        foreach ([2, 3] as $number) {
            $this->until(fn (): bool => str_contains($this->text("[data-order-step=\"$number\"]"), 'in the study'));
        }
        // it broke off on the way, and says so
        $this->reads('[data-coming]', 'broke off at');
        $steps = $this->get('studies/1')['steps'];
        self::assertSame(['done', 'done', 'done'], array_column($steps, 'state'));
        $radar = $steps[2]['figures']['scene'] === 'CS1_ORVANE_20330326' ? $steps[2] : $steps[1];
        self::assertSame(
            [32631, true, 32632],
            [$radar['items'][0]['raster']['own']['epsg'], $radar['items'][0]['raster']['warped'], $radar['items'][0]['raster']['epsg']],
        );

        // how it came is told as a curve
        $along = array_column($steps[1]['figures']['along'], 'fetched');
        self::assertGreaterThan(1, count($along));
        self::assertGreaterThan($along[0], end($along));

        // on the bench the radar lies in its place: the river's mouth is as dark as the sea, the town bright
        $this->press('[data-to-bench]');
        $this->press("[data-step=\"{$radar['number']}\"]");
        $this->reads('[data-caption=b]', 'vv, grey');
        $this->see('[data-figures] [data-curve] svg');
        [$sea, $town] = [[431_600.0, 6_069_800.0], [436_750.0, 6_067_750.0]];
        foreach ([$sea, $town] as [$x, $y]) {
            $this->post('/studies/1/pegs', ['x' => $x, 'y' => $y]);
        }
        $this->see('[data-peg-row=B]');
        $this->keys('w');
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $r < 40 && $r === $g);
        // views step through the dates of one thing
        $this->press('[data-step="1"]');
        $this->reads('[data-caption=b]', '12 May 2031');
        $this->keys('>');
        $this->reads('[data-caption=b]', '3 June 2033');
        $this->reads('[data-caption=b]', 'nir–red–green');
        $this->keys('<');
        $this->reads('[data-caption=b]', '12 May 2031');
        $this->noErrors();
    }

    public function test_another_archive_can_be_added(): void
    {
        $this->behave(['busy' => 0, 'torn' => 0]);
        $this->open('/studies/1/archive');
        $this->reads('[data-found]', 'scenes found');
        $this->press('[data-add-archive]');
        $this->fill('[data-address]', "http://127.0.0.1:$this->port/api/kinds");
        $this->browser->findElement(WebDriverBy::xpath('//button[normalize-space()="Add it"]'))->click();
        $this->reads('[data-problem]', 'is no STAC API');
        $this->fill('[data-address]', "http://localhost:$this->port/standin/archive");
        $this->browser->findElement(WebDriverBy::xpath('//button[normalize-space()="Add it"]'))->click();
        $this->until(fn (): bool => count($this->get('archives')) === 2);
        $this->until(fn (): bool => $this->see('[data-archive]')->getAttribute('value') === "http://localhost:$this->port/standin/archive");
        $this->reads('[data-found]', 'scenes found');
        // its small pictures come too, through our own server
        $this->until(
            fn (): bool => $this->browser->executeScript(
                'return [...document.querySelectorAll("[data-scenes] img")].filter((one) => one.naturalWidth > 0 && '
                    .'one.src.includes("localhost")).length > 5',
            ),
        );
        $this->noErrors();
    }

    /** @param  array<string, int|float>  $set */
    private function behave(array $set): void
    {
        $this->send('PUT', 'standin/archive/behaviour', $set);
    }

    /** @param  array<string, mixed>  $body */
    private function post(string $path, array $body): void
    {
        $this->send('POST', "api$path", $body);
    }
}
