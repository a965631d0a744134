<?php

namespace Tests\Browser;

use Facebook\WebDriver\WebDriverBy;

/** A formula typed with a mistake, mended, and read at a peg against the number computed from the peg's own readings. */
class DeriveTest extends BrowserTestCase
{
    private function write(string $formula): void
    {
        $field = $this->see('[data-lines=formula]');
        $field->clear();
        $field->sendKeys("$formula\t");
    }

    public function test_a_formula_with_a_mistake_is_mended_and_right(): void
    {
        $this->until(fn (): bool => ($this->get('steps/1')['state'] ?? '') === 'done');
        $step = $this->send('POST', 'api/studies/1/steps', [
            'kind' => 'correct.calibrate',
            'inputs' => ['image' => ['step' => 1, 'output' => 'multispectral']],
            'run' => true,
        ])['id'];
        $this->until(fn (): bool => $this->get("steps/$step")['state'] === 'done');
        $this->send('POST', 'api/studies/1/pegs', ['x' => 436_000, 'y' => 6_067_000]);
        $this->open('/studies/1');
        $this->press('[data-stage=derive]');
        $this->press('[data-kind="derive.formula"]');
        $this->see('[data-add=images]')->findElement(WebDriverBy::cssSelector("option[value=\"$step/result\"]"))->click();

        $this->write('water = (green - nir) / (green + nir');
        $this->press('[data-run]');
        $this->reads('[role=alert]', 'line 1 at character 37: a “)” is missing');
        $this->write("water = (green - nir) / (green + nir)\nwet = where(water > 0, water, nodata)");
        $this->press('[data-run]');
        $this->reads('[data-figures]', 'wet', 60);
        $this->reads('[data-caption=b]', 'formula');

        $made = $this->get('studies/1')['steps'][2];
        $read = fn (int $item): array => $this->get("items/$item/values?points=436000,6067000")[0];
        [, $green, , $nir] = $read($this->get("steps/$step")['items'][0]['id']);
        [$water, $wet] = $read($made['items'][0]['id']);
        self::assertEqualsWithDelta(($green - $nir) / ($green + $nir), $water, 1e-6);
        self::assertSame($water > 0 ? $water : null, $wet);
    }
}
