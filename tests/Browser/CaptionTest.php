<?php

namespace Tests\Browser;

use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;

/** Every part of a caption is a control: what is shown, its bands and colours, its stretch, what lies over it. */
class CaptionTest extends BrowserTestCase
{
    private function part(string $view, string $text): void
    {
        $this->until(function () use ($view, $text): bool {
            foreach ($this->browser->findElements(WebDriverBy::cssSelector("[data-caption=$view] button.part")) as $button) {
                if (str_contains($button->getText(), $text)) {
                    $button->click();

                    return true;
                }
            }

            return false;
        }, "The caption of $view has no part “{$text}”");
        $this->see("[data-caption=$view] .sheet");
    }

    private function pick(string $view, string $text): void
    {
        $this->see("[data-caption=$view] .sheet")
            ->findElement(WebDriverBy::xpath(".//button[normalize-space()='$text'] | .//label[contains(normalize-space(), '$text')]"))
            ->click();
    }

    private function close(): void
    {
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ESCAPE);
    }

    /** How many requests for values, histograms or tiles were started since the last look; what was on its way then does not count. */
    private function asked(): int
    {
        $script = <<<'JS'
            const since = window.lastLook ?? 0;
            window.lastLook = performance.now();
            return performance.getEntriesByType('resource').filter((entry) => entry.startTime > since && /tiles|histogram/.test(entry.name)).length;
            JS;

        return (int) $this->browser->executeScript($script);
    }

    public function test_bands_ramps_and_stretch_repaint_at_once(): void
    {
        $this->open('/studies/1');
        $this->reads('[data-caption=b]', 'nir–red–green');
        $this->press('[data-arm-peg]');
        // over the woodland in the south-east
        $this->browser->action()->moveToElement($this->see('[data-view=a] [role=application]'), 150, 30)->click()->perform();
        $this->see('[data-peg-row=A]');
        $this->keys(WebDriverKeys::ESCAPE);
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $r > 2 * $g);

        // another composite
        $this->part('b', 'nir–red–green');
        $this->pick('b', 'short-wave');
        $this->close();
        $this->reads('[data-caption=b]', 'swir1–nir–red');
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $g > $r && $g > $b);

        // one band with a ramp: greys, then a published palette
        $this->part('b', 'swir1–nir–red');
        $this->pick('b', 'one band');
        $this->choose('[data-caption=b] .sheet select', '4');
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $r === $g && $g === $b && $r > 60);
        $this->asked();
        $this->pick('b', 'viridis');
        $this->close();
        $this->reads('[data-caption=b]', 'nir, viridis');
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $g > $r && $b > $r);
        self::assertSame(0, $this->asked(), 'a ramp asks nothing of the server');

        // the stretch: by per cent, then by hand on the histogram
        $this->part('b', 'nir, viridis');
        $this->pick('b', 'grey');
        $this->close();
        $this->part('b', '2–98 %');
        $this->see('[data-caption=b] [data-handle="1"]');
        $this->pick('b', '0–100 %');
        $this->reads('[data-caption=b]', '0–100 %');
        $this->asked();
        $handle = $this->see('[data-caption=b] [data-handle="1"] circle');
        $this->browser->action()->moveToElement($handle)->clickAndHold()->moveByOffset(-120, 0)->moveByOffset(-90, 0)->release()->perform();
        $this->reads('[data-caption=b]', 'manual stretch');
        $this->colourAt('b', 'A', fn (int $r, int $g, int $b): bool => $r > 240);
        self::assertSame(0, $this->asked(), 'a stretch asks nothing of the server');
        // and by keys
        $before = $this->see('[data-caption=b] [data-handle="1"]')->getAttribute('aria-valuenow');
        $this->browser->executeScript('document.querySelector("[data-caption=b] [data-handle=\"1\"]").focus()');
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ARROW_RIGHT);
        $this->until(fn (): bool => $this->see('[data-caption=b] [data-handle="1"]')->getAttribute('aria-valuenow') > $before);
        $this->close();

        // another item in the same view, and the readings of all that is chosen
        $this->part('b', '1 multispectral');
        $this->pick('b', '1 thermal');
        $this->reads('[data-caption=b]', 'thermal1, grey');
        $this->reads('[data-pegs]', 'thermal');
        $this->keys('v');
        $this->until(fn (): bool => count($this->browser->findElements(WebDriverBy::cssSelector('[data-view]'))) === 1);
        $this->keys('v');
        $this->see('[data-view=b]');
        $this->noErrors();
    }
}
