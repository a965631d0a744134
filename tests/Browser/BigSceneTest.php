<?php

namespace Tests\Browser;

use Chorometra\Benchmarks\Scene;
use Chorometra\Core\Work\Context;
use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;

/** A scene of many tiles is moved over like a small one: from the whole to single pixels. */
class BigSceneTest extends BrowserTestCase
{
    /** @return list<int> red, green, blue and alpha in the middle of a view */
    private function middle(string $view): array
    {
        return $this->browser->executeScript(
            'const c = document.querySelector(`[data-view=${arguments[0]}] canvas`); return [...c.getContext("2d").getImageData(c.width / 2, '
                .'c.height / 2, 1, 1).data]',
            [$view],
        );
    }

    private function painted(string $view): void
    {
        $this->until(fn (): bool => $this->middle($view)[3] === 255, "view $view stays blank");
    }

    /** @return list<int> levels of the tiles that were fetched since the last look */
    private function levels(): array
    {
        $names = $this->browser->executeScript(
            'const names = performance.getEntriesByType("resource").map((entry) => entry.name).filter((name) => name.includes("/tiles/")); '
                .'performance.clearResourceTimings(); return names',
        );

        return array_values(array_unique(array_map(fn (string $name): int => (int) preg_replace('~.*/tiles/(\d+)/.*~', '$1', $name), $names)));
    }

    /** Longest run of one colour along the middle row of a view, in screen pixels. */
    private function grain(string $view): int
    {
        return (int) $this->browser->executeScript(<<<'JS'
            const c = document.querySelector(`[data-view=${arguments[0]}] canvas`);
            const row = new Uint32Array(c.getContext('2d').getImageData(0, Math.round(c.height / 2), c.width, 1).data.buffer);
            const runs = [];
            for (let i = 0, start = 0; i <= row.length; i++) if (i === row.length || row[i] !== row[start]) { runs.push(i - start); start = i; }
            return runs.sort((a, b) => a - b)[Math.floor(runs.length / 2)];
            JS, [$view]);
    }

    public function test_from_the_whole_to_single_pixels(): void
    {
        Scene::make("$this->folder/large.tif", 3000, new Context(2, $this->folder));
        $this->open('/');
        $this->fill('[data-new-study]', 'Whole scene');
        $this->press('[data-create]');
        $this->press('[data-kind="gather.image"]');
        $this->browser->executeScript('performance.setResourceTimingBufferSize(5000)');
        $this->browser->findElement(WebDriverBy::cssSelector('[data-file]'))->sendKeys("$this->folder/large.tif");
        $this->reads('[data-chosen]', 'large.tif');
        $this->fill('#setting-roles', 'blue,green,red,nir,swir1,swir2,thermal1');
        $this->press('[data-run]');
        // stopped on the way, it leaves nothing, and is run again
        $this->press('[data-stop]');
        $this->reads('[data-step="1"]', 'stopped');
        self::assertSame([], glob("$this->folder/files/studies/2/1-*"));
        $this->press('[data-run]');
        $this->see('[data-download=result]');

        // the whole comes from overviews
        $this->painted('a');
        $this->painted('b');
        self::assertGreaterThanOrEqual(2, min($this->levels()));

        // from here on no frame shows a blank: what is coarser stands in until the finer is there
        $this->browser->executeScript(<<<'JS'
            window.frames = { seen: 0, blank: 0 };
            const look = () => {
                for (const canvas of document.querySelectorAll('[data-view] .raster canvas')) {
                    const { width, height } = canvas;
                    const context = canvas.getContext('2d');
                    window.frames.seen++;
                    for (const [x, y] of [[0.5, 0.5], [0.4, 0.4], [0.6, 0.4], [0.4, 0.6], [0.6, 0.6]]) {
                        if (context.getImageData(width * x, height * y, 1, 1).data[3] !== 255) { window.frames.blank++; break; }
                    }
                }
                requestAnimationFrame(look);
            };
            look();
            JS);
        // nearer and nearer, down to pixels that can be counted
        $this->browser->executeScript('document.querySelector("[data-view=a] [role=application]").focus()');
        for ($i = 0; $i < 7; $i++) {
            $this->browser->getKeyboard()->sendKeys('+');
            $this->painted('a');
        }
        $this->until(fn (): bool => $this->grain('a') >= 8, 'single pixels are not seen');
        self::assertContains(0, $this->levels());
        // moving on shows what is there
        for ($i = 0; $i < 4; $i++) {
            $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ARROW_RIGHT);
            $this->painted('a');
            $this->painted('b');
        }

        ['seen' => $seen, 'blank' => $blank] = $this->browser->executeScript('return window.frames');
        self::assertGreaterThan(50, $seen);
        self::assertSame(0, $blank, "$blank of $seen frames had a blank");

        // tried on what is visible, then run over all
        $this->press('[data-stage=derive]');
        $this->press('[data-kind="derive.index"]');
        $this->choose('#setting-index', 'ndwi');
        $this->press('[data-try]');
        $this->reads('[data-trial]', 'Trial of the visible window, not run');
        $this->painted('b');
        $this->press('[data-run]');
        $this->see('[data-download=result]');
        $this->reads('[data-caption=b]', '2 ndwi');
        $this->keys('w');
        // one band in greys, in both the overview and the full resolution
        $this->until(function (): bool {
            [$red, $green, $blue, $alpha] = $this->middle('b');

            return $alpha === 255 && $red === $green && $green === $blue;
        });
        // another browser on the same study sees the same
        $here = $this->text('[data-step="2"]');
        $this->browser->executeScript('window.open(location.href)');
        $this->browser->switchTo()->window($this->browser->getWindowHandles()[1]);
        $this->reads('[data-step="2"]', $here);
        $this->noErrors();
    }
}
