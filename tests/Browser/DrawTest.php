<?php

namespace Tests\Browser;

use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverDimension;
use Facebook\WebDriver\WebDriverKeys;

/** Points, lines and areas in the views: drawn by mouse and by keys, changed, undone, used by steps, laid over a picture. */
class DrawTest extends BrowserTestCase
{
    /** Steps of the view by a few pixels each. */
    private function go(string $arrow, int $times): void
    {
        $this->browser->switchTo()->activeElement()->sendKeys([WebDriverKeys::SHIFT, ...array_fill(0, $times, $arrow)]);
    }

    private function together(string $with, string $key): void
    {
        $this->browser->switchTo()->activeElement()->sendKeys([$with, $key]);
    }

    /** @param  list<array{int, int}>  $places  from the middle of view A */
    private function click(array $places): void
    {
        $map = $this->see('[data-view=a] [role=application]');
        foreach ($places as [$x, $y]) {
            $this->browser->action()->moveToElement($map, $x, $y)->click()->perform();
        }
    }

    /** @return list<array<string, mixed>> */
    private function marks(int $drawing): array
    {
        return $this->get("drawings/$drawing")['marks'];
    }

    public function test_an_area_is_drawn_changed_and_undone_without_a_mouse(): void
    {
        $this->open('/studies/1');
        $this->reads('[data-caption=b]', 'nir–red–green');
        $keyboard = $this->browser->getKeyboard();
        $this->keys('a');
        $this->reads('[data-tool]', 'drawing the area');
        $this->browser->executeScript('document.querySelector("[data-view=a] [role=application]").focus()');

        // three corners, one too many taken back, closed
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        $this->see('[data-view=a] [data-middle]');
        $this->go(WebDriverKeys::ARROW_RIGHT, 12);
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        $this->together(WebDriverKeys::SHIFT, WebDriverKeys::ENTER);
        $this->reads('[role=status]', 'An area needs three');
        $this->go(WebDriverKeys::ARROW_DOWN, 10);
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        $this->go(WebDriverKeys::ARROW_LEFT, 20);
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        $this->together(WebDriverKeys::CONTROL, 'z');
        $this->go(WebDriverKeys::ARROW_RIGHT, 8);
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        $this->together(WebDriverKeys::SHIFT, WebDriverKeys::ENTER);
        $this->until(fn (): bool => $this->get('studies/1')['area'] !== null);
        $area = $this->get('studies/1')['area'];
        $ring = $area['rings'][0];
        self::assertCount(5, $ring);
        // a box of 96 by 80 pixels of the view
        [$width, $height] = [$ring[1][0] - $ring[0][0], $ring[1][1] - $ring[2][1]];
        self::assertEqualsWithDelta(96 / 80, $width / $height, 1e-6);
        self::assertEqualsWithDelta([$ring[0][0], $ring[2][1]], $ring[3], 1e-3);
        $this->drawnAt('a', 48, -80, 8);
        $this->drawnAt('b', 48, -80, 8);

        // the corner in the middle is taken up and set down elsewhere, then taken away
        $this->press('[data-stage=gather]');
        $this->press('[data-change-area]');
        $this->browser->executeScript('document.querySelector("[data-view=a] [role=application]").focus()');
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        $this->go(WebDriverKeys::ARROW_LEFT, 6);
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        $this->until(fn (): bool => abs($this->get('studies/1')['area']['rings'][0][3][0] - $ring[0][0] + $width / 2) < 1e-3);
        $keyboard->sendKeys(WebDriverKeys::DELETE);
        $this->until(fn (): bool => count($this->get('studies/1')['area']['rings'][0]) === 4);

        // all of it undone, one after the other, and done again
        foreach ([5, 5, null] as $corners) {
            $this->together(WebDriverKeys::CONTROL, 'z');
            $this->until(function () use ($corners): bool {
                $now = $this->get('studies/1')['area'];

                return ($now === null ? null : count($now['rings'][0])) === $corners;
            });
        }
        $this->press('[aria-label=Redo]:enabled');
        $this->until(fn (): bool => ($this->get('studies/1')['area']['rings'] ?? null) === $area['rings']);
        $this->noErrors();
    }

    public function test_a_drawing_is_made_by_mouse_said_something_of_and_used(): void
    {
        $this->open('/studies/1');
        $this->reads('[data-caption=b]', 'nir–red–green');
        $this->press('[data-stage=gather]');
        $this->see('[data-new-drawing]')->sendKeys(['fields', WebDriverKeys::ENTER]);
        $this->press('[data-shape=polygon]');
        $this->press('[data-snap]');
        // dragging moves the picture and draws nothing
        $map = $this->see('[data-view=a] [role=application]');
        $this->browser->action()->moveToElement($map, 0, 0)->clickAndHold()->moveByOffset(-20, -10)->moveByOffset(-20, -10)->release()->perform();
        $this->click([[-60, -60], [60, -60], [60, 50], [-60, 50], [-60, -60]]);
        $this->see('[data-mark-number="1"]');
        $id = $this->get('studies/1')['drawings'][0]['id'];
        $ring = $this->marks($id)[0]['geometry']['coordinates'][0];
        self::assertCount(5, $ring);
        // on corners of pixels of 20 m
        foreach ($ring as [$x, $y]) {
            self::assertEqualsWithDelta(round($x / 20) * 20, $x, 1e-4);
            self::assertEqualsWithDelta(round($y / 20) * 20, $y, 1e-4);
        }
        $this->press('[data-shape=box]');
        $this->click([[100, 20], [140, 70]]);
        $this->press('[data-shape=point]');
        $this->click([[0, 100]]);
        $this->press('[data-shape=line]');
        $this->click([[-60, 120], [20, 140], [60, 120], [60, 120]]);
        $this->see('[data-mark-number="4"]');
        self::assertSame(['Polygon', 'Polygon', 'Point', 'LineString'], array_map(fn (array $mark): string => $mark['geometry']['type'], $this->marks($id)));
        self::assertCount(3, $this->marks($id)[3]['geometry']['coordinates']);
        $this->keys(WebDriverKeys::ESCAPE);
        $this->gone('[data-tool]');
        foreach (['a', 'b'] as $view) {
            foreach ([[60, 0], [100, 45], [0, 100], [-20, 130]] as [$x, $y]) {
                $this->drawnAt($view, $x, $y, 6);
            }
        }

        // what it is, and seen by pointing
        $this->see('[data-mark-number="1"] input[placeholder=class]')->sendKeys("pasture\t");
        $this->until(fn (): bool => $this->marks($id)[0]['class'] === 'pasture');
        $this->browser->action()->moveToElement($map, 10, 0)->perform();
        $this->browser->action()->moveToElement($map, 0, 0)->perform();
        $this->reads('[data-view=a] [data-pointed]', 'pasture');

        // somebody else changes it while this page does not look: what is theirs is shown, and this page may overwrite it
        $hidden = fn (string $state): mixed => $this->browser->executeScript(
            "Object.defineProperty(document, 'visibilityState', { configurable: true, get: () => '$state' });"
            .'document.dispatchEvent(new Event("visibilitychange"))',
        );
        $hidden('hidden');
        $this->send('PATCH', "api/marks/{$this->marks($id)[0]['key']}", ['class' => 'meadow']);
        $class = $this->see('[data-mark-number="1"] input[placeholder=class]');
        // typed over what stands there: to clear it would be a change of its own
        $class->sendKeys([WebDriverKeys::CONTROL, 'a', WebDriverKeys::NULL, "wood\t"]);
        $this->reads('[role=alert]', 'was changed by somebody else meanwhile: your change was not saved');
        self::assertSame('meadow', $this->marks($id)[0]['class']);
        $this->until(fn (): bool => $class->getDomProperty('value') === 'meadow');
        $this->browser->findElement(WebDriverBy::xpath('//*[@role="alert"]//button[text()="overwrite theirs"]'))->click();
        $this->until(fn (): bool => $this->marks($id)[0]['class'] === 'wood');
        $this->gone('[role=alert]');
        $this->until(fn (): bool => $class->getDomProperty('value') === 'wood');
        $hidden('visible');

        // a step is cut by it
        $this->press('[data-kind="gather.subset"]');
        $this->choose('#input-area', "drawn/$id");
        $this->press('[data-run]');
        $this->until(fn (): bool => ($this->get('studies/1')['steps'][1]['state'] ?? '') === 'done');
        $cut = $this->get('studies/1')['steps'][1]['items'][0]['raster'];
        self::assertSame(0.0, fmod($cut['transform'][0] - 431_000, 20));

        // a corner drawn elsewhere makes it stale; undone, it is good again
        $this->press('[data-stage=gather]');
        $this->press('[data-change]');
        $this->browser->action()->moveToElement($map, 60, -60)->clickAndHold()->moveByOffset(10, -10)->moveByOffset(20, -10)->release()->perform();
        $this->until(fn (): bool => $this->get('studies/1')['steps'][1]['state'] === 'stale');
        self::assertNotSame($ring, $this->marks($id)[0]['geometry']['coordinates'][0]);
        $this->keys(WebDriverKeys::ESCAPE);
        $this->press('[aria-label=Undo]:enabled');
        $this->until(fn (): bool => $this->get('studies/1')['steps'][1]['state'] === 'done');

        // all taken away at once, and back
        $this->browser->findElement(WebDriverBy::xpath('//*[@data-drawings]//button[text()="remove all"]'))->click();
        $this->until(fn (): bool => $this->marks($id) === []);
        $this->drawnAt('b', 60, 0, 6, false);
        $this->press('[aria-label=Undo]:enabled');
        $this->until(fn (): bool => count($this->marks($id)) === 4);
        $this->drawnAt('b', 60, 0, 6);
        $this->noErrors();
    }

    public function test_outlines_lie_over_a_picture_through_the_caption(): void
    {
        $this->open('/studies/1');
        $this->reads('[data-caption=b]', 'nir–red–green');
        $image = ['step' => 1, 'output' => 'multispectral'];
        $this->send('POST', 'api/studies/1/steps', [
            'kind' => 'derive.index',
            'inputs' => ['image' => $image],
            'settings' => ['index' => 'ndwi'],
            'run' => true,
        ]);
        $this->send('POST', 'api/studies/1/steps', [
            'kind' => 'segment.slice',
            'inputs' => ['image' => ['step' => 2]],
            'settings' => ['limits' => [0], 'names' => ['land', 'water'], 'minimum' => 30],
            'run' => true,
        ]);
        $this->send('POST', 'api/studies/1/steps', [
            'kind' => 'deliver.outlines',
            'inputs' => ['image' => ['step' => 3, 'output' => 'classes']],
            'run' => true,
        ]);
        $this->until(fn (): bool => ($this->get('studies/1')['steps'][3]['state'] ?? '') === 'done');
        $this->press('[data-caption=b] [data-over]');
        $this->press('[data-caption=b] [data-line="4 outlines"]');
        $this->press('[data-caption=b] [data-over]');
        $this->reads('[data-caption=b] [data-over]', '4 outlines');
        // the frame of the image is an outline too
        $this->drawnAt('b', 0, -180, 6);
        $this->drawnAt('a', 0, -180, 6, false);
        $map = $this->see('[data-view=b] [role=application]');
        foreach ([[-150, 'water'], [120, 'land']] as [$x, $class]) {
            $this->browser->action()->moveToElement($map, $x - 5, 130)->perform();
            $this->browser->action()->moveToElement($map, $x, 130)->perform();
            $this->reads('[data-view=b] [data-pointed]', $class);
        }
        // filled and coloured; a reload keeps it
        $this->press('[data-caption=b] [data-over]');
        $this->press('[data-caption=b] [data-lines] [aria-label=vermilion]');
        $this->browser->executeScript(
            'const range = document.querySelectorAll("[data-caption=b] [data-lines] input[type=range]")[1]; range.value = 0.5; '
                .'range.dispatchEvent(new Event("input"));',
        );
        $this->press('[data-caption=b] [data-over]');
        $this->drawnAt('b', 120, 130);
        $this->until(fn (): bool => ($this->get('studies/1')['look']['b']['lines'][0]['fill'] ?? 0) === 0.5);
        $this->browser->navigate()->refresh();
        $this->reads('[data-caption=b] [data-over]', '4 outlines');
        $this->drawnAt('b', 120, 130);

        // with a map over it as well, number and name of the item are whole at either width
        $this->press('[data-caption=b] [data-over]');
        $this->browser->findElement(WebDriverBy::xpath('//*[@data-caption="b"]//button[normalize-space()="3 classes"]'))->click();
        $this->press('[data-caption=b] [data-over]');
        $this->reads('[data-caption=b] [data-over]', '3 classes');
        foreach ([1280, 1024] as $width) {
            $this->browser->manage()->window()->setSize(new WebDriverDimension($width, 800));
            foreach (['a', 'b'] as $view) {
                $name = "document.querySelector('[data-caption=$view] [data-item]')";
                $this->until(fn (): bool => $this->browser->executeScript("return window.innerWidth <= $width && $name.scrollWidth <= $name.clientWidth"));
                self::assertSame('1 multispectral', $this->text("[data-caption=$view] [data-item]"));
            }
        }
        $this->noErrors();
    }
}
