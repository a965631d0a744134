<?php

namespace Tests\Browser;

use Chorometra\Demo\Stories;
use Facebook\WebDriver\Interactions\WebDriverActions;
use Facebook\WebDriver\Remote\DriverCommand;
use Facebook\WebDriver\Remote\JsonWireCompat;
use Facebook\WebDriver\Remote\RemoteWebElement;
use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;

/** Segments sorted by questions: by limits that are drawn, by examples, and tidied; scored against what truly lies there. */
class KeyTest extends BrowserTestCase
{
    /** @return array{int, int} both dates on one grid */
    private function dates(): array
    {
        [$first, $second] = [$this->surface('2031'), $this->surface('2033')];

        return [$first, $this->made('correct.coregister', ['moving' => self::of($second), 'reference' => self::of($first)], ['band' => 'nir'])];
    }

    private static function demo(string $file): string
    {
        return dirname(__DIR__, 2)."/storage/demo/$file";
    }

    private function openKeys(): void
    {
        $this->open('/studies/1');
        $this->press('[data-stage=classify]');
        $this->press('[data-kind="classify.key"]');
        $this->see('[data-key-desk]');
    }

    /** A question by a measure, at the end that is at hand. */
    private function ask(string $question, string $class, string $measure): void
    {
        $this->fill('[data-ask-form] [data-question]', $question);
        $this->fill('[data-ask-form] [data-yes]', $class);
        $this->fill('[data-ask-form] [data-new-measure]', $measure);
        $this->until(fn (): bool => $this->see('[data-add-question]')->isEnabled());
        $this->press('[data-add-question]');
        $this->gone('[data-ask-form]');
    }

    private function wide(string $arm): float
    {
        return (float) $this->see("[data-arm=\"$arm\"]")->getAttribute('data-width');
    }

    /** Runs what is on the desk. */
    private function runDesk(): int
    {
        $count = count($this->get('studies/1')['steps']);
        $this->browser->executeScript('document.querySelector("[data-view=a] [role=application]").focus()');
        $this->browser->getKeyboard()->sendKeys([WebDriverKeys::CONTROL, WebDriverKeys::ENTER, WebDriverKeys::NULL]);
        $this->until(fn (): bool => count($this->get('studies/1')['steps']) > $count);
        $step = max(array_column($this->get('studies/1')['steps'], 'id'));
        $this->until(fn (): bool => $this->get("steps/$step")['state'] === 'done');

        return $step;
    }

    private function map(int $step): string
    {
        $items = array_column($this->get("steps/$step")['items'], 'id', 'output');

        return $this->fileOf($items['classes']);
    }

    public function test_water_vegetation_and_the_rest_by_limits(): void
    {
        $image = self::of($this->surface('2031'));
        $index = $this->made('derive.index', ['image' => $image], ['index' => 'ndwi']);
        $slices = $this->made('segment.slice', ['image' => self::of($index)], ['limits' => [0], 'minimum' => 10, 'names' => ['land', 'water']]);
        $land = $this->made('segment.merge', ['images:1' => $image, 'within' => self::of($slices, 'classes')], [
            'codes' => ['land'], 'bands' => ['blue', 'green', 'red', 'nir'], 'merge-limit' => 10,
        ]);
        $this->made('segment.join', ['segments' => self::of($land, 'segments'), 'others' => self::of($slices, 'segments')]);
        // on water, and on a field
        $this->send('POST', 'api/studies/1/pegs', ['x' => 432_200, 'y' => 6_066_000]);
        $this->send('POST', 'api/studies/1/pegs', ['x' => 438_000, 'y' => 6_067_400]);
        $this->openKeys();
        $this->press('[data-new-key]');

        // pegs on either side tell what parts them
        $this->press('[data-peg-yes=A]');
        $this->reads('[data-ranked]', '1.00');
        $this->ask('is it water?', 'water', 'ndwi()');
        $this->see('[data-fork]');
        $this->fill('[data-least]', '0');
        $this->reads('[data-reached]', 'segments');
        self::assertNotEmpty($this->browser->findElements(WebDriverBy::cssSelector('[data-limit-plot] text')), 'pegs stand on the histogram');
        $this->press('[data-ask="is-it-water/no"]');
        $this->ask('is it green?', 'vegetation', 'ndvi()');
        $this->fill('[data-least]', '0.4');
        $this->until(fn (): bool => $this->wide('is-it-green/yes') > 3 * $this->wide('is-it-green/no'));

        $least = fn (): float => (float) ($this->get('keys/1')['document']['couplets'][1]['least'] ?? NAN);
        $this->until(fn (): bool => $least() === 0.4);

        // a limit is drawn on the histogram: river and view follow without a step, and it is undone as one thing
        $before = $this->wide('is-it-green/yes');
        $view = $this->light('b');
        $this->see('[data-limit-plot] [role=slider]')->sendKeys(array_fill(0, 18, WebDriverKeys::PAGE_UP));
        $this->until(fn (): bool => $this->wide('is-it-green/yes') < 0.8 * $before);
        $this->until(fn (): bool => $this->light('b') !== $view);
        $this->until(fn (): bool => $least() > 0.41);
        $this->browser->executeScript('document.activeElement.blur()');
        $this->browser->getKeyboard()->sendKeys([WebDriverKeys::CONTROL, 'z', WebDriverKeys::NULL]);
        $this->until(fn (): bool => abs($this->wide('is-it-green/yes') - $before) < 0.2);
        self::assertSame(0.4, $least());

        // what is left is a class of its own; cut off and put back by undoing
        $this->choose('[data-lead=no] select', 'new');
        $this->fill('[data-new-class]', 'the rest');
        $this->until(fn (): bool => count($this->get('keys/1')['document']['classes']) === 3);
        $this->press('[data-cut-off]');
        $this->reads('[data-spares]', 'is it green?');
        $this->browser->executeScript('document.activeElement.blur()');
        $this->browser->getKeyboard()->sendKeys([WebDriverKeys::CONTROL, 'z', WebDriverKeys::NULL]);
        $this->see('[data-fork="is-it-green"]');

        $map = $this->map($this->runDesk());
        $groups = ['water' => ['deep water', 'shallow water'], 'vegetation' => ['salt marsh', 'pasture', 'crops', 'woodland'], 'the rest' => []];
        self::assertGreaterThanOrEqual(0.985, Stories::accuracy($map, self::demo('orvane-2031-truth.tif'), $groups));
        $this->noErrors();
    }

    public function test_vegetation_lost_where_the_sea_wall_was_opened(): void
    {
        [$before, $after] = $this->dates();
        $merge = $this->made('segment.merge', ['images:1' => self::of($before), 'images:2' => self::of($after)], [
            'names' => ['before', 'after'], 'bands' => ['before.red', 'before.nir', 'after.red', 'after.nir'], 'merge-limit' => 20,
        ]);
        $this->openKeys();
        // both dates come with the segments that were cut from them
        $this->reads('[data-input=images]', 'co-registered image');
        $this->press('[data-new-key]');
        $this->ask('was it green before?', 'still green', 'ndvi(before)');
        $this->fill('[data-least]', '0.4');
        $this->press('[data-ask="was-it-green-before/yes"]');
        $this->ask('did it lose its green?', 'lost', 'ndvi(before) - ndvi(after)');
        $this->fill('[data-least]', '0.2');
        $this->until(fn (): bool => $this->wide('did-it-lose-its-green/no') > 4 * $this->wide('did-it-lose-its-green/yes'));

        // an arm that is pointed at stands in the light
        $plain = $this->light('b');
        $this->browser->executeScript('document.querySelector(\'[data-arm="did-it-lose-its-green/yes"]\').focus()');
        $this->until(fn (): bool => $this->light('b') !== $plain);
        $this->browser->executeScript('document.activeElement.blur()');

        // tidying is seen before it is done: each rule tells what it changes
        foreach (['give-back', 'absorb', 'fill', 'dissolve'] as $at => $rule) {
            $this->choose('[data-add-rule]', $rule);
            $this->see("[data-rule=\"$at\"]");
        }
        $this->reads('[data-rule="0"]', 'still green');
        $this->press('[data-open-rule="1"]');
        $this->fill('[data-below="1"]', '100');
        $this->press('[data-open-rule="2"]');
        $this->browser->executeScript(<<<'JS'
            const select = document.querySelector('[data-rule="2"] label select');
            select.value = 'lost';
            select.dispatchEvent(new Event('change'));
            JS);
        $this->reads('[data-rule="0"] [data-effect]', 'ha');
        $this->reads('[data-rule="1"] [data-effect]', 'ha');
        $document = $this->get('keys/1')['document'];
        self::assertSame([100, 'lost'], [$document['rules'][1]['below'], $document['rules'][2]['with']]);

        // a segment that is pointed at tells its way, and by how much
        $this->browser->action()->moveToElement($this->see('[data-view=a] [role=application]'), 60, 60)->perform();
        $this->reads('[data-by]', 'by ');

        $step = $this->runDesk();
        $score = Stories::loss(
            $this->map($step),
            'lost',
            self::demo('orvane-2031-truth.tif'),
            self::demo('orvane-2033-truth.tif'),
            dirname(__DIR__, 2).'/examples/loss.area.geojson',
        );
        self::assertGreaterThanOrEqual(0.9, $score['iou']);
        self::assertLessThanOrEqual(0.5, $score['border']);
        self::assertSame(1, $score['patches']);
        self::assertSame($merge, $this->get("steps/$step")['inputs']['segments']['step']);
        $this->noErrors();
    }

    public function test_examples_are_swept_undone_and_kept_for_the_other_date(): void
    {
        [$first, $second] = $this->dates();
        $settings = ['bands' => ['red', 'nir', 'swir1'], 'merge-limit' => 8];
        $late = $this->made('segment.merge', ['images:1' => self::of($second)], $settings);
        $this->made('segment.merge', ['images:1' => self::of($first)], $settings);
        $this->openKeys();
        $this->press('[data-new-key]');
        $this->fill('[data-ask-form] [data-question]', 'is it water?');
        $this->fill('[data-ask-form] [data-yes]', 'water');
        $this->press('[data-by-examples]');
        $this->press('[data-add-question]');
        $this->reads('[data-couplet-problem]', 'there are no examples');

        // held, a number gives its answer to what the pointer passes; the picture stays
        $view = $this->see('[data-view=a] [role=application]');
        $picture = $this->light('a');
        $this->sweep($view, '1', [-150, 40], [-120, 90]);
        $this->until(fn (): bool => (int) $this->text('[data-count=yes]') > 3);
        $this->sweep($view, '2', [60, -60], [150, 60]);
        $this->until(fn (): bool => (int) $this->text('[data-count=no]') > 3);
        self::assertSame($picture, $this->light('a'), 'a sweep does not move the picture');
        $yes = (int) $this->text('[data-count=yes]');
        $no = (int) $this->text('[data-count=no]');
        $this->until(fn (): bool => $this->wide('is-it-water/yes') > 5.0);

        // moved, it gives no example
        $where = fn (): ?string => $this->see('[data-view=a] [data-example-mark]')->getAttribute('transform');
        $stood = $where();
        (new WebDriverActions($this->browser))->moveToElement($view, 100, 50)->clickAndHold()->moveByOffset(-10, 0)->moveByOffset(-20, 0)
            ->release()->perform();
        $this->until(fn (): bool => $where() !== $stood);
        self::assertSame([$yes, $no], [(int) $this->text('[data-count=yes]'), (int) $this->text('[data-count=no]')]);
        $this->browser->getKeyboard()->sendKeys([WebDriverKeys::CONTROL, 'z', WebDriverKeys::NULL]);
        $this->until(fn (): bool => (int) $this->text('[data-count=no]') === 0);
        $this->browser->getKeyboard()->sendKeys([WebDriverKeys::CONTROL, WebDriverKeys::SHIFT, 'z', WebDriverKeys::NULL]);
        $this->until(fn (): bool => (int) $this->text('[data-count=no]') === $no);

        // another classifier learns from the same examples
        $this->choose('[data-method]', 'support-vectors');
        $this->until(fn (): bool => $this->browser->findElements(WebDriverBy::cssSelector('[data-method] + label')) === []);
        $this->until(fn (): bool => $this->wide('is-it-water/yes') > 5.0 && $this->wide('is-it-water/no') > 5.0);

        // by clicking too, and taken back by clicking again
        $this->press('[data-example=no]');
        (new WebDriverActions($this->browser))->moveToElement($view, 40, 120)->click()->perform();
        $this->until(fn (): bool => (int) $this->text('[data-count=no]') !== $no);
        $now = (int) $this->text('[data-count=no]');
        (new WebDriverActions($this->browser))->moveToElement($view, 40, 120)->click()->perform();
        $this->until(fn (): bool => (int) $this->text('[data-count=no]') !== $now);
        $this->browser->getKeyboard()->sendKeys([WebDriverKeys::ESCAPE]);

        // the whole of it by the examples that ship, water and then wood
        $given = json_decode((string) file_get_contents(dirname(__DIR__, 2).'/examples/wood.examples.geojson'), true)['features'];
        $document = json_decode((string) file_get_contents(dirname(__DIR__, 2).'/examples/wood.key.json'), true);
        foreach ($document['couplets'] as $at => $couplet) {
            $of = array_filter($given, fn (array $one): bool => $one['properties']['couplet'] === $couplet['id']);
            $document['couplets'][$at]['examples']['given'] = array_map(
                fn (array $one): array => ['at' => $one['geometry']['coordinates'], 'answer' => $one['properties']['answer']],
                array_values($of),
            );
        }
        $key = $this->send('POST', 'api/studies/1/keys', ['document' => $document])['id'];
        $this->until(
            fn (): bool => $this->browser->findElements(WebDriverBy::cssSelector("[data-key-choice] option[value=\"key/$key\"]")) !== [],
        );
        $this->choose('[data-key-choice]', "key/$key");
        $this->see('[data-fork=wood]')->click();
        $this->reads('[data-unsure]', 'confidence below 80');
        $this->press('[data-next-unsure]');
        $this->reads('[data-unsure]', 'Press 1 or 2');
        $groups = ['water' => ['deep water', 'shallow water'], 'wood' => ['woodland'], 'other land' => []];
        $step = $this->runDesk();
        self::assertGreaterThanOrEqual(0.95, Stories::accuracy($this->map($step), self::demo('orvane-2031-truth.tif'), $groups));

        // what it has learnt goes to the other date as it is
        $other = $this->made('classify.key', [
            'images:1' => self::of($second), 'segments' => self::of($late, 'segments'), 'key' => self::of($step, 'key'),
        ]);
        self::assertGreaterThanOrEqual(0.95, Stories::accuracy($this->map($other), self::demo('orvane-2033-truth.tif'), $groups));
        $this->noErrors();
    }

    /**
     * With a number held the pointer goes along.
     *
     * @param  array{int, int}  $from  beside the middle of the view
     * @param  array{int, int}  $to
     */
    private function sweep(RemoteWebElement $view, string $number, array $from, array $to): void
    {
        $this->browser->executeScript('document.activeElement.blur()');
        $steps = 12;
        $moves = [];
        for ($i = 0; $i <= $steps; $i++) {
            $moves[] = [
                'type' => 'pointerMove',
                'duration' => 0,
                'origin' => [JsonWireCompat::WEB_DRIVER_ELEMENT_IDENTIFIER => $view->getID()],
                'x' => (int) ($from[0] + ($to[0] - $from[0]) * $i / $steps),
                'y' => (int) ($from[1] + ($to[1] - $from[1]) * $i / $steps),
            ];
        }
        $wait = ['type' => 'pause', 'duration' => 20];
        $this->browser->execute(DriverCommand::ACTIONS, ['actions' => [
            ['type' => 'key', 'id' => 'held', 'actions' => [
                $wait, ['type' => 'keyDown', 'value' => $number], ...array_fill(0, $steps, $wait), ['type' => 'keyUp', 'value' => $number],
            ]],
            ['type' => 'pointer', 'id' => 'mouse', 'parameters' => ['pointerType' => 'mouse'], 'actions' => [
                $moves[0], $wait, ...array_slice($moves, 1), $wait,
            ]],
        ]]);
    }
}
