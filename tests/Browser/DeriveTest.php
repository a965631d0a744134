<?php

namespace Tests\Browser;

use Facebook\WebDriver\WebDriverKeys;

/** What is made of the bands: a formula, a sharpening judged by its figures and the ruler, components of two dates. */
class DeriveTest extends BrowserTestCase
{
    private function calibrated(): int
    {
        $this->until(fn (): bool => ($this->get('steps/1')['state'] ?? '') === 'done');

        return $this->made('correct.calibrate', ['image' => ['step' => 1, 'output' => 'multispectral']]);
    }

    private function write(string $formula): void
    {
        $this->see('[data-lines=formula]')->sendKeys([WebDriverKeys::CONTROL, 'a', WebDriverKeys::NULL, $formula]);
    }

    public function test_a_formula_with_a_mistake_is_mended_and_right(): void
    {
        $step = $this->calibrated();
        $this->send('POST', 'api/studies/1/pegs', ['x' => 436_000, 'y' => 6_067_000]);
        $this->open('/studies/1');
        $this->press('[data-stage=derive]');
        $this->press('[data-kind="derive.formula"]');
        // it starts on the best image there is
        $this->reads('[data-input=images]', 'TOA reflectance');

        // a name is completed by the keys
        $this->write('water = (gr');
        $this->reads('[data-words]', 'green');
        $this->see('[data-lines=formula]')->sendKeys([WebDriverKeys::ARROW_DOWN, WebDriverKeys::ENTER, ' - nir) / (green + nir']);
        self::assertSame('water = (green - nir) / (green + nir', $this->see('[data-lines=formula]')->getDomProperty('value'));
        $this->reads('[data-wrong]', 'line 1 at character 37: a “)” is missing');
        // a mistake is marked where it is
        $this->write('water = (green - nix) / (green + nir)');
        $this->reads('[data-wrong]', 'There is no “nix”');
        self::assertSame('nix', $this->browser->executeScript('return document.querySelector("[data-mistake]").textContent'));

        // mended, it says at once what it gives at the peg: what its readings make
        $this->write("water = (green - nir) / (green + nir)\nwet = where(water > 0, water, nodata)");
        $this->gone('[data-wrong]');
        $this->reads('[data-at-pegs]', 'wet');
        $read = fn (int $item): array => $this->get("items/$item/values?points=436000,6067000")[0];
        [, $green, , $nir] = $read($this->get("steps/$step")['items'][0]['id']);
        $expected = ($green - $nir) / ($green + $nir);
        $shown = (float) str_replace('−', '-', $this->text('[data-at-pegs] [data-peg=A] [data-made]'));
        self::assertEqualsWithDelta($expected, $shown, 1e-4);
        // and view B shows the trial, unasked
        $this->reads('[data-caption=b]', 'trial');

        $this->press('[data-run]');
        $this->reads('[data-figures]', 'wet');
        $this->reads('[data-caption=b]', 'formula');
        $steps = $this->get('studies/1')['steps'];
        [$water, $wet] = $read($steps[2]['items'][0]['id']);
        self::assertEqualsWithDelta($expected, $water, 1e-6);
        self::assertSame($water > 0 ? $water : null, $wet);
        $this->noErrors();
    }

    public function test_a_sharpening_is_judged_by_its_figures_and_the_ruler(): void
    {
        $this->calibrated();
        $this->made('correct.calibrate', ['image' => ['step' => 1, 'output' => 'pan']]);
        $this->open('/studies/1');
        $this->press('[data-stage=derive]');
        $this->press('[data-kind="derive.sharpen"]');
        $this->fill('#setting-bands', 'blue, green, red');
        $this->choose('#setting-method', 'high-pass');
        $this->press('[data-run]');
        $this->reads('[data-figures]', 'resampled only');
        $this->reads('[data-figures]', '20 × 20 m');
        // the methods stand side by side: the one that was taken is better than resampling alone, and told to be
        $found = array_column($this->get('steps/4')['figures']['quality'], null, 'method');
        self::assertLessThan($found['resampled only']['ERGAS'], $found['high-pass']['ERGAS']);
        self::assertLessThan($found['resampled only']['angle'], $found['high-pass']['angle']);
        $this->see('[data-reach]');

        // whole pixels, measured on their corners without a mouse: twice as many columns of the sharpened image
        $this->reads('[data-caption=a]', 'TOA reflectance');
        $this->reads('[data-caption=b]', 'pan-sharpened image');
        $this->browser->executeScript('document.querySelector("[data-view=a] [role=application]").focus()');
        $keyboard = $this->browser->getKeyboard();
        $keyboard->sendKeys('m');
        $this->reads('[data-tool]', 'ruler');
        $this->press('[data-snap]');
        $this->browser->executeScript('document.querySelector("[data-view=a] [role=application]").focus()');
        for ($i = 0; $i < 6; $i++) {
            $keyboard->sendKeys('+');
        }
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        // far enough that another corner of a pixel is nearest
        $this->browser->switchTo()->activeElement()->sendKeys([WebDriverKeys::SHIFT, ...array_fill(0, 6, WebDriverKeys::ARROW_RIGHT)]);
        $keyboard->sendKeys(WebDriverKeys::ENTER);
        $this->browser->switchTo()->activeElement()->sendKeys([WebDriverKeys::SHIFT, WebDriverKeys::ENTER]);
        $length = $this->text('[data-length]');
        $columns = intdiv((int) $length, 20);
        self::assertGreaterThan(0, $columns);
        self::assertSame(20 * $columns.' m', $length);
        $this->reads('[data-pixels=a]', "$columns columns, 0 rows of 20 m");
        $this->reads('[data-pixels=b]', 2 * $columns.' columns, 0 rows of 10 m');
        $this->drawnAt('b', 0, 0, 60);

        // undone, and a ring
        $this->press('button[aria-label=Undo]');
        $this->gone('[data-measured]');
        $this->press('button[aria-label=Redo]');
        $this->reads('[data-length]', $length);
        $this->press('[data-ruler=ring]');
        $map = $this->see('[data-view=a] [role=application]');
        foreach ([[-60, 0], [60, 0], [60, 90], [-60, 0]] as [$x, $y]) {
            $this->browser->action()->moveToElement($map, $x, $y)->click()->perform();
        }
        $this->reads('[data-measured]', 'round');
        $this->keys(WebDriverKeys::ESCAPE);
        $this->gone('[data-measured]');
        // the size of pixels stands beside what is read
        $this->browser->action()->moveToElement($map, 20, 20)->perform();
        $this->reads('[data-pixel-size]', 'A 20 m, B 10 m');
        $this->noErrors();
    }

    public function test_components_of_two_dates(): void
    {
        $first = $this->calibrated();
        $second = $this->made('gather.bundle', ['image' => ['demo' => 'orvane-2033.tar.gz']], ['groups' => ['multispectral']]);
        $later = $this->made('correct.calibrate', ['image' => ['step' => $second, 'output' => 'multispectral']]);
        $this->open('/studies/1');
        $this->press('[data-stage=derive]');
        $this->press('[data-kind="derive.components"]');
        $this->choose('#input-image', "$first/result");
        $this->choose('#setting-of', 'correlation');
        $this->press('[data-run]');
        // the picture of what each component holds, and what each band puts into it
        $this->see('[data-scree] svg');
        $this->reads('[data-loading=nir]', 'nir');
        $made = $this->get('studies/1')['steps'];
        $learnt = end($made);
        $figures = $this->get("steps/{$learnt['id']}")['figures'];
        self::assertEqualsWithDelta(1.0, $figures['scree'][5]['together'], 1e-9);
        self::assertEqualsWithDelta(6.0, array_sum(array_column($figures['scree'], 'variance')), 1e-9);

        // the other date by the loadings of the first: what changed shows as other values of the same component
        $this->press('[data-stage=derive]');
        $this->press('[data-kind="derive.components"]');
        $this->choose('#input-image', "$later/result");
        $this->choose('#input-loadings', "{$learnt['id']}/table");
        $this->choose('#setting-of', 'correlation');
        $this->press('[data-run]');
        $this->until(fn (): bool => count($this->get('studies/1')['steps']) === count($made) + 1);
        $this->reads('[data-loading=nir]', 'nir');
        $all = $this->get('studies/1')['steps'];
        $applied = $this->get('steps/'.end($all)['id'])['figures'];
        self::assertSame($figures['loadings'], $applied['loadings']);
        self::assertNotEqualsWithDelta(0.0, $applied['result']['bands'][0]['mean'], 0.05);
        $this->noErrors();
    }
}
