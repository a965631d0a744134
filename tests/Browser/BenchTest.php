<?php

namespace Tests\Browser;

use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\MakesRasters;
use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;

/** The bench beside the main job: keys, undoing, what is kept, what turns stale, stopping. */
class BenchTest extends BrowserTestCase
{
    use MakesRasters;

    private function together(string $with, string $key): void
    {
        $this->browser->executeScript('document.activeElement?.blur()');
        $this->browser->action()->keyDown(null, $with)->sendKeys(null, $key)->keyUp(null, $with)->perform();
    }

    private function pegAt(int $x, int $y): void
    {
        $this->browser->action()->moveToElement($this->see('[data-view=a] [role=application]'), $x, $y)->click()->perform();
    }

    public function test_keys_undo_and_what_a_reload_keeps(): void
    {
        $this->open('/studies/1');
        $this->reads('[data-caption=b]', 'nir–red–green');

        // a kind is found by typing
        $this->keys('/');
        $this->see('[role=combobox]')->sendKeys('vegetation water');
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ENTER);
        $this->see('#setting-index');
        // what was set up is still there after a reload
        $this->choose('#setting-index', 'mndwi');
        $this->browser->navigate()->refresh();
        $this->until(fn (): bool => $this->see('#setting-index')->getDomProperty('value') === 'mndwi');

        // pegs: dropped, undone, brought back with their letter, moved by the letter
        $this->keys('p');
        $this->pegAt(-165, 20);
        $this->see('[data-peg-row=A]');
        $this->pegAt(40, 40);
        $this->see('[data-peg-row=B]');
        $this->keys(WebDriverKeys::ESCAPE);
        $this->pegAt(0, 100);
        $this->together(WebDriverKeys::CONTROL, 'z');
        $this->until(fn (): bool => $this->browser->findElements(WebDriverBy::cssSelector('[data-peg-row=B]')) === []);
        $this->together(WebDriverKeys::CONTROL, 'z');
        $this->until(fn (): bool => $this->browser->findElements(WebDriverBy::cssSelector('[data-peg-row]')) === []);
        $this->press('[aria-label=Redo]');
        $this->see('[data-peg-row=A]');
        $before = $this->get('studies/1')['pegs'][0];
        $this->browser
            ->action()
            ->moveToElement($this->see('[data-view=a] [data-peg=A]'))
            ->clickAndHold()
            ->moveByOffset(30, 10)
            ->moveByOffset(10, 0)
            ->release()
            ->perform();
        $this->until(fn (): bool => $this->get('studies/1')['pegs'][0]['x'] !== $before['x']);
        $after = $this->get('studies/1')['pegs'][0];
        self::assertEqualsWithDelta(-0.25, ($after['y'] - $before['y']) / ($after['x'] - $before['x']), 0.02);

        // with a view in focus everything goes by keys: a peg in the middle, the arrows move
        $this->browser->executeScript('document.querySelector("[data-view=a] [role=application]").focus()');
        $this->browser->getKeyboard()->sendKeys('p'.WebDriverKeys::ENTER);
        $this->see('[data-peg-row=B]');
        $at = fn (): string => (string) $this->browser->executeScript(
            'return document.querySelector("[data-view=b] [data-peg=B]").parentNode.getAttribute("transform")',
        );
        $was = $at();
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ARROW_RIGHT);
        $this->until(fn (): bool => $at() !== $was);
        $this->keys(WebDriverKeys::ESCAPE);

        // the curtain shows A to the left of its edge and B to the right; flip shows B in the place of A
        $this->keys('w');
        $this->colourAt('a', 'A', fn (int $r, int $g, int $b): bool => $b > $r + 20);
        $this->keys('c');
        $edge = $this->see('[aria-label="Edge of the curtain"]');
        self::assertCount(1, $this->browser->findElements(WebDriverBy::cssSelector('[data-view]')));
        $this->browser->action()->moveToElement($edge)->clickAndHold()->moveByOffset(-300, 0)->release()->perform();
        $this->until(fn (): bool => (int) $edge->getAttribute('aria-valuenow') < 20);
        $this->keys('c');
        $this->see('[data-view=b]');

        $this->keys('?');
        $this->reads('[role=dialog]', 'previous and next step of the trail');
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ESCAPE);
        $this->until(fn (): bool => $this->browser->findElements(WebDriverBy::cssSelector('[role=dialog]')) === []);
        $this->noErrors();
    }

    public function test_run_again_with_other_settings_and_refresh_what_hangs_on_it(): void
    {
        $this->open('/studies/1');
        $this->reads('[data-caption=a]', '1 multispectral');
        $this->press('[data-stage=derive]');
        $this->press('[data-kind="derive.index"]');
        $this->press('[data-run]');
        $this->reads('[data-caption=b]', '2 ndvi');
        $this->press('[data-stage=segment]');
        $this->press('[data-kind="segment.slice"]');
        $this->see('[data-slice] [data-handle]');
        $this->press('[data-run]');
        $this->see('[data-download=classes]');
        $this->press('[data-step="2"]');
        $this->choose('#setting-index', 'ndwi');
        $this->reads('[data-run]', 'Run with these settings');
        $this->press('[data-run]');
        $this->reads('[data-step="3"] [data-state]', 'stale');
        $this->reads('[data-step="2"]', 'ndwi');
        $this->press('[data-refresh]');
        $this->until(fn (): bool => ! preg_match('/stale|waiting|running/', $this->text('[data-step="3"]')));
        self::assertSame('done', $this->get('studies/1')['steps'][2]['state']);

        // a study goes, after asking
        $this->open('/');
        $this->see('[data-study="Orvane Sound"]')->findElement(WebDriverBy::xpath('.//button[text()="remove"]'))->click();
        $this->see('[role=dialog]')->findElement(WebDriverBy::xpath('.//button[text()="Remove"]'))->click();
        $this->reads('main', 'No study yet');
        $this->noErrors();
    }

    public function test_what_happens_elsewhere_comes_and_where_nothing_does_nothing_is_sent(): void
    {
        $index = $this->send('POST', 'api/studies/1/steps', [
            'kind' => 'derive.index',
            'inputs' => ['image' => ['step' => 1, 'output' => 'multispectral']],
            'settings' => ['index' => 'ndwi'],
            'run' => true,
        ])['id'];
        $this->open('/studies/1');
        $this->press('[data-step="2"]');
        $this->reads('[data-figures]', '(green - nir) / (green + nir)');
        $this->reads('[data-figures]', 'took');

        // quiet: questions, and no answers with a body
        $sizes = 'return performance.getEntriesByType("resource").filter((one) => one.name.includes("/news")).map((one) => one.decodedBodySize)';
        $first = count($this->browser->executeScript($sizes));
        $this->until(fn (): bool => count($this->browser->executeScript($sizes)) >= $first + 3);
        self::assertSame([0, 0], array_slice($this->browser->executeScript($sizes), -2));

        // another browser drops a peg, and runs the step that is open with another formula
        $this->send('POST', 'api/studies/1/pegs', ['x' => 437_000, 'y' => 6_066_000, 'name' => 'mid stream']);
        $this->until(fn (): bool => $this->see('[data-peg-row=A] input')->getDomProperty('value') === 'mid stream');
        $this->send('PATCH', "api/steps/$index", ['settings' => ['index' => 'ndvi'], 'run' => true]);
        $this->reads('[data-step="2"]', 'ndvi');
        $this->reads('[data-figures]', '(nir - red) / (nir + red)');
        $this->send('POST', 'api/studies/1/steps', [
            'kind' => 'segment.slice',
            'inputs' => ['image' => ['step' => $index]],
            'settings' => ['limits' => [0.3]],
            'run' => true,
        ]);
        $this->reads('[data-step="3"]', 'at 0.3');
        $this->until(fn (): bool => $this->get('studies/1')['steps'][2]['state'] === 'done');

        // what was made from it is stale there too, though it did not change itself, and goes with its step
        $this->send('POST', "api/steps/$index/run");
        $this->reads('[data-step="3"] [data-state]', 'stale');
        $this->send('DELETE', "api/steps/{$this->get('studies/1')['steps'][2]['id']}");
        $this->gone('[data-step="3"]');

        // a version that has no such kind any more says so, and everything else works
        $this->until(fn (): bool => $this->get('studies/1')['steps'][1]['state'] === 'done');
        (new \PDO("sqlite:$this->folder/db.sqlite"))->exec("update steps set kind = 'derive.gone-by' where id = $index");
        $this->open('/studies/1');
        $this->press('[data-step="2"]');
        $this->reads('[data-gone]', 'This version has no such kind of step');
        $this->reads('[data-gone]', 'remove this step');
        $this->noErrors();
    }

    public function test_long_work_shows_progress_and_is_stopped(): void
    {
        $pixels = 2500 * 2500;
        $path = $this->raster(
            'large.tif',
            new RasterSpec(self::grid(2500, 2500), [new Band(), new Band(), new Band()]),
            array_fill(0, 3, array_fill(0, $pixels, 0.5)),
            2,
        );
        $this->open('/studies/1');
        $this->press('[data-stage=gather]');
        $this->press('[data-kind="gather.image"]');
        $this->browser->findElement(WebDriverBy::cssSelector('[data-file]'))->sendKeys($path);
        $this->reads('[data-chosen]', 'large.tif');
        $this->press('[data-run]');
        $this->press('[data-stop]');
        $this->reads('[data-step="2"]', 'stopped');
        $this->press('[data-work]');
        $this->reads('.sheet', 'stopped');
        self::assertSame([], glob("$this->folder/files/studies/1/2-*"));
        // and run again it ends
        $this->press('[data-run]');
        $this->see('[data-download=result]');
        $this->noErrors();
    }
}
