<?php

namespace Tests\Browser;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Values;
use Chorometra\Demo\Stories;
use Facebook\WebDriver\Interactions\WebDriverActions;
use Facebook\WebDriver\Remote\RemoteWebElement;
use Facebook\WebDriver\WebDriverBy;
use Facebook\WebDriver\WebDriverKeys;

/** Classes taught from areas that are drawn in every way there is; scored against what truly lies there. */
class TrainingTest extends BrowserTestCase
{
    private const GROUPS = [
        'water' => ['deep water', 'shallow water'],
        'wood' => ['woodland'],
        'bare' => ['bare soil', 'quarry', 'town', 'tidal flat'],
        'green' => ['pasture', 'crops', 'salt marsh'],
    ];

    private static function truth(string $year): string
    {
        return dirname(__DIR__, 2)."/storage/demo/orvane-$year-truth.tif";
    }

    private function openDesk(string $kind): void
    {
        $this->open('/studies/1');
        $this->press('[data-stage=classify]');
        $this->press("[data-kind=\"$kind\"]");
    }

    private function view(): RemoteWebElement
    {
        return $this->see('[data-view=a] [role=application]');
    }

    /**
     * Where a pixel of the scene lies in view A, from its middle: pegs stand at two places that are known.
     *
     * @return array{int, int}
     */
    private function at(int $col, int $row): array
    {
        $script = <<<'JS'
            const view = document.querySelector('[data-view=a]');
            const box = view.getBoundingClientRect();
            return ['A', 'B'].map((letter) => view.querySelector(`[data-peg=${letter}]`).parentNode.getAttribute('transform').match(/[-\d.]+/g).map(Number))
                .map(([x, y]) => [x - box.width / 2, y - box.height / 2]);
            JS;
        [[$ax, $ay], [$bx, $by]] = $this->browser->executeScript($script);

        // peg A is in the middle of pixel 100, 100, peg B of 500, 500
        return [(int) round($ax + ($bx - $ax) * ($col - 100) / 400), (int) round($ay + ($by - $ay) * ($row - 100) / 400)];
    }

    /** @param  list<array{int, int}>  $pixels */
    private function click(array $pixels): void
    {
        foreach ($pixels as [$col, $row]) {
            [$x, $y] = $this->at($col, $row);
            $this->browser->action()->moveToElement($this->view(), $x, $y)->click()->perform();
        }
    }

    /** With the button held from pixel to pixel. */
    private function drag(int ...$pixels): void
    {
        $actions = new WebDriverActions($this->browser);
        $before = null;
        foreach (array_chunk($pixels, 2) as [$col, $row]) {
            [$x, $y] = $this->at($col, $row);
            $before === null ? $actions->moveToElement($this->view(), $x, $y)->clickAndHold() : $actions->moveByOffset($x - $before[0], $y - $before[1]);
            $before = [$x, $y];
        }
        $actions->release()->perform();
    }

    private function tool(string $label): void
    {
        if ($this->browser->findElements(WebDriverBy::cssSelector("[data-training-tool=\"$label\"][aria-pressed=true]")) === []) {
            $this->press("[data-training-tool=\"$label\"]");
        }
    }

    private function forClass(string $name): void
    {
        $this->press("[data-training-class=\"$name\"] [role=radio]");
    }

    /** @return list<array<string, mixed>> */
    private function marks(): array
    {
        return $this->get('drawings/'.$this->get('studies/1')['drawings'][0]['id'])['marks'];
    }

    private function marked(int $count, ?string $class = null): void
    {
        $this->until(fn (): bool => count(array_filter($this->marks(), fn (array $mark): bool => $class === null || $mark['class'] === $class)) === $count);
    }

    private function undo(bool $again = false): void
    {
        $this->browser->executeScript('document.activeElement?.blur()');
        $this->browser->getKeyboard()->sendKeys([WebDriverKeys::CONTROL, ...($again ? [WebDriverKeys::SHIFT] : []), 'z', WebDriverKeys::NULL]);
    }

    private function runDesk(): int
    {
        $count = count($this->get('studies/1')['steps']);
        $this->press('[data-run]');
        $this->until(fn (): bool => count($this->get('studies/1')['steps']) > $count);
        $step = max(array_column($this->get('studies/1')['steps'], 'id'));
        $this->until(fn (): bool => $this->get("steps/$step")['state'] === 'done');

        return $step;
    }

    private function map(int $step): string
    {
        return $this->fileOf(array_column($this->get("steps/$step")['items'], 'id', 'output')['classes']);
    }

    /** Two places that are known, by which others are found in the views. */
    private function pegs(): void
    {
        foreach ([100, 500] as $pixel) {
            $this->send('POST', 'api/studies/1/pegs', ['x' => 431_000 + 20 * ($pixel + 0.5), 'y' => 6_072_000 - 20 * ($pixel + 0.5)]);
        }
    }

    public function test_four_classes_are_drawn_in_every_way_tried_run_and_kept_for_the_other_date(): void
    {
        $first = $this->surface('2031');
        $segments = $this->made('segment.merge', ['images:1' => self::of($first)], ['bands' => ['red', 'nir', 'swir1'], 'merge-limit' => 20]);
        $this->pegs();
        $this->openDesk('classify.teach');
        $this->see('[data-training-desk]');
        $this->fill('[data-new-class]', 'water, wood, bare, green');
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ENTER);
        $this->see('[data-training-class=green]');
        $legend = fn (): array => array_column($this->get('studies/1')['legend'], 'colour', 'name');
        $this->until(fn (): bool => isset($legend()['water'], $legend()['green']));
        self::assertSame('#3f7fb0', $legend()['water'], 'water is blue');

        // a box, corners, free hand, a segment, a seed: each way another area
        $this->forClass('water');
        $this->tool('box');
        $this->click([[20, 60], [40, 90]]);
        $this->marked(1, 'water');
        $this->tool('corners');
        $this->click([[30, 480], [60, 480], [60, 520], [30, 520], [30, 480]]);
        $this->marked(2, 'water');
        $this->forClass('wood');
        $this->tool('free hand');
        [$col, $row] = $this->inside('woodland', 14);
        $this->drag($col - 7, $row - 7, $col + 7, $row - 7, $col + 7, $row + 7, $col - 7, $row + 7, $col - 7, $row - 7);
        $this->marked(1, 'wood');

        // with space held the same drag moves the picture, and draws nothing
        $before = $this->at($col, $row);
        $this->browser->executeScript('document.body.dispatchEvent(new KeyboardEvent("keydown", { key: " ", bubbles: true }))');
        $this->drag($col, $row, $col + 20, $row + 20, $col + 60, $row + 40);
        $this->browser->executeScript('document.body.dispatchEvent(new KeyboardEvent("keyup", { key: " ", bubbles: true }))');
        $this->until(fn (): bool => abs($this->at($col, $row)[0] - $before[0]) > 20);
        self::assertCount(3, $this->marks(), 'moving draws nothing');

        $this->forClass('bare');
        $this->tool('from a seed');
        [$col, $row] = $this->inside('bare soil', 5);
        $this->click([[$col, $row]]);
        $this->see('[data-growth]');
        $joined = fn (): int => (int) preg_replace(
            '/\D/',
            '',
            (string) preg_replace('/ pixels.*/s', '', substr($this->text('[data-growth]'), (int) strpos($this->text('[data-growth]'), "\n"))),
        );
        $few = $joined();
        // likeness drawn along: the area grows in the view
        $this->see('[data-likeness]')->sendKeys(array_fill(0, 12, WebDriverKeys::ARROW_RIGHT));
        $this->until(fn (): bool => $joined() >= $few);
        self::assertGreaterThan(15, $joined());
        $this->drawnAt('b', ...[...$this->at($col, $row), 60]);
        $this->press('[data-keep-grown]');
        $this->marked(1, 'bare');

        $this->forClass('green');
        $this->choose('[data-input=segments] select', (string) $this->see('[data-input=segments] select option:nth-child(2)')->getAttribute('value'));
        $this->tool('a segment');
        [$col, $row] = $this->inside('pasture', 8);
        $this->click([[$col, $row]]);
        $this->marked(1, 'green');
        $this->choose('[data-input=segments] select', '');
        // more areas of each, so that each lies in several parts of the scene
        foreach ([
            ['wood', 'woodland', 8, 3], ['bare', 'bare soil', 5, 3], ['bare', 'tidal flat', 4, 2], ['bare', 'town', 2, 1],
            ['green', 'pasture', 6, 3], ['green', 'crops', 6, 3], ['green', 'salt marsh', 3, 2],
        ] as [$class, $cover, $deep, $count]) {
            $this->forClass($class);
            $this->tool('box');
            for ($k = 1; $k <= $count; $k++) {
                [$col, $row] = $this->inside($cover, $deep, $k);
                $had = count($this->marks());
                $this->click([[$col - intdiv($deep, 2) - 1, $row - intdiv($deep, 2) - 1], [$col + intdiv($deep, 2) + 1, $row + intdiv($deep, 2) + 1]]);
                $this->marked($had + 1);
            }
        }
        $all = count($this->marks());
        $this->reads('[data-training-class=green]', 'px');
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ESCAPE);

        // what the areas say, with each class by name
        $this->see('[data-signature=wood]');
        $this->press('[data-said-tab=pairs]');
        $this->reads('[data-pairs]', 'water and wood');
        $this->press('[data-said-tab="two bands"]');
        $this->see('[data-ellipse=water]');
        $this->press('[data-said-tab="one band"]');
        $this->see('[data-class-histogram] path');

        // an area that reaches into something else is told, and loses those pixels by a click
        $this->keys('2');
        $this->see('[data-training-class=wood] [role=radio][aria-checked=true]');
        $this->tool('box');
        [$col, $row] = $this->inside('woodland', 8, 1);
        $this->click([[$col - 34, $row - 6], [$col + 6, $row + 6]]);
        $this->marked($all + 1);
        $numbers = array_column($this->marks(), 'number', 'key');
        $astray = max($numbers);
        $this->until(fn (): bool => $this->browser->executeScript(
            'document.querySelector("[data-strays]")?.setAttribute("open", ""); return document.querySelector(`[data-stray="${arguments[0]}"]`) !== null',
            [$astray],
        ));
        $this->press("[data-stray=\"$astray\"]");
        $this->drawnAt('a', ...[...$this->at($col - 28, $row), 12]);
        $this->press("[data-cleanse=\"$astray\"]");
        $key = array_search($astray, $numbers, true);
        $this->until(fn (): bool => ! in_array($key, array_column($this->marks(), 'key'), true));
        $this->undo();
        $this->until(fn (): bool => in_array($key, array_column($this->marks(), 'key'), true) && count($this->marks()) === $all + 1);
        $this->undo();
        $this->marked($all);
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ESCAPE);
        $this->forClass('green');

        // all of a class go at once, and come back after a reload
        $this->forClass('green');
        $green = count(array_filter($this->marks(), fn (array $mark): bool => $mark['class'] === 'green'));
        $this->browser->executeScript('document.querySelector("[data-remove-class]").closest("details").open = true');
        $this->browser->executeScript('document.querySelector("[data-remove-class]").scrollIntoView({ block: "center" })');
        $this->press('[data-remove-class]');
        $this->marked($all - $green);
        $this->browser->navigate()->refresh();
        $this->see('[data-training-desk]');
        $this->see('[data-training-class=wood]');
        $this->undo();
        $this->marked($all);
        $this->undo(true);
        $this->marked($all - $green);
        $this->undo();
        $this->marked($all);

        // tried on what is visible, with the map over view B
        $this->see('[data-training-class=green]');
        $this->press('[data-try]');
        $this->see('[data-trial]');
        $this->press('[data-show-sure="1"]');
        $this->reads('[data-caption=b]', 'posterior');
        $this->press('[data-next-unsure]');
        $this->reads('[role=status]', 'posterior');

        $this->choose('[data-setting=method] select', 'random-forest');
        $step = $this->runDesk();
        $told = $this->get("steps/$step")['figures'];
        self::assertGreaterThan(0.8, $told['agreement']);
        self::assertGreaterThan(0.9, Stories::accuracy($this->map($step), self::truth('2031'), self::GROUPS));
        $this->reads('[data-figures]', 'agreement on held-out areas');
        $colours = $legend();
        self::assertSame(
            $colours['wood'],
            $this->file(array_column($this->get("steps/$step")['items'], 'id', 'output')['classes'])->spec()->legend->classes[2]['colour'] ?? null,
        );

        // what was learnt is used on the other date
        $second = $this->surface('2033');
        $this->openDesk('classify.apply');
        foreach ($this->browser->findElements(WebDriverBy::cssSelector('[data-input=images] [data-leave-out]')) as $one) {
            $one->click();
        }
        $this->choose('[data-input=images] select', "$second/result");
        $this->choose('[data-input=model] select', "$step/model");
        $used = $this->runDesk();
        self::assertEquals(['images:1' => self::of($second), 'model' => self::of($step, 'model')], $this->get("steps/$used")['inputs']);
        self::assertGreaterThan(0.8, Stories::accuracy($this->map($used), self::truth('2033'), self::GROUPS));
        // the second date is hazier: some of its values were never taught
        $this->reads('[data-figures]', 'outside the training data');
        self::assertGreaterThan(0.0, $this->get("steps/$used")['figures']['outside-share']);
        $this->noErrors();
    }

    public function test_clusters_are_seen_alone_named_by_clicks_joined_and_compared(): void
    {
        $first = $this->surface('2031');
        $this->pegs();
        $clusters = $this->made('classify.clusters', ['images:1' => self::of($first)], ['classes' => 6]);
        $this->open('/studies/1');
        $this->press('[data-step="'.$this->get("steps/$clusters")['number'].'"]');
        $this->see('[data-clusters]');
        $this->reads('[data-figures]', 'number of clusters');

        // what is pointed at is seen alone: peg B lies on land, and turns grey while water is pointed at
        [$col, $row] = $this->inside('deep water', 14);
        $code = $this->codeAt($clusters, $col, $row);
        $this->colourAt('b', 'B', fn (int $r, int $g, int $b): bool => max($r, $g, $b) - min($r, $g, $b) > 25);
        $this->browser->executeScript('document.querySelector("[data-clusters]").scrollIntoView({ block: "start" })');
        $this->fill('[data-cluster-name]', 'water');
        $this->press('[data-name-in-view]');
        $this->reads('[data-tool]', 'naming clusters');
        [$x, $y] = $this->at($col, $row);
        $this->browser->action()->moveToElement($this->view(), $x, $y)->perform();
        $this->see("[data-cluster=\"$code\"].bg-paper-2");
        $before = $this->light('b');
        $this->browser->action()->click()->perform();
        $name = fn (int $code): string => (string) $this->see("[data-cluster=\"$code\"] input")->getAttribute('value');
        $this->until(fn (): bool => $name($code) === 'water');
        // it is undone, and done again
        $this->undo();
        $this->until(fn (): bool => $name($code) === '');
        $this->undo(true);
        $this->until(fn (): bool => $name($code) === 'water');
        // by its field, and by the keys in the middle of the view
        [$c, $r] = $this->inside('woodland', 10);
        $wood = $this->codeAt($clusters, $c, $r);
        $field = $this->see("[data-cluster=\"$wood\"] input");
        $field->sendKeys('wood');
        $field->sendKeys(WebDriverKeys::TAB);
        $this->until(fn (): bool => $name($wood) === 'wood');
        $this->browser->getKeyboard()->sendKeys(WebDriverKeys::ESCAPE);
        self::assertNotSame('', $before);

        $count = count($this->get('studies/1')['steps']);
        $this->press('[data-make-named]');
        $this->until(fn (): bool => count($this->get('studies/1')['steps']) === $count + 1);
        $named = max(array_column($this->get('studies/1')['steps'], 'id'));
        $this->until(fn (): bool => $this->get("steps/$named")['state'] === 'done');
        $map = $this->file(array_column($this->get("steps/$named")['items'], 'id', 'output')['classes']);
        self::assertEqualsCanonicalizing(['water', 'wood'], array_slice(array_column($map->spec()->legend->classes ?? [], 'name'), 0, 2));

        // beside the clusters: they differ where a class has a name of its own
        $this->see('[data-differs]');
        $this->press('[data-differs]');
        $this->reads('[data-differences]', "cluster $code");
        $this->reads('[data-differences]', 'differ at');
        $this->noErrors();
    }

    /** The code of a map at a pixel of the scene. */
    private function codeAt(int $step, int $col, int $row): int
    {
        $image = $this->file(array_column($this->get("steps/$step")['items'], 'id', 'output')['classes']);

        return Values::codes($image, new Window($col, $row, 1, 1))[0];
    }

    /**
     * The middle of a place of a cover that reaches so many pixels each way, another one for each number.
     *
     * @return array{int, int}
     */
    private function inside(string $cover, int $deep, int $number = 0): array
    {
        static $found = [];
        $found["$cover $deep"] ??= (function () use ($cover, $deep): array {
            $image = new GeoTiffImage(self::truth('2031'));
            $code = $image->spec()->legend->codeOf($cover);
            $grid = $image->spec()->grid;
            $codes = Values::codes($image, new Window(0, 0, $grid->width, $grid->height));
            $places = [];
            for ($row = 40; $row < $grid->height - 40; $row += 7) {
                for ($col = 40; $col < $grid->width - 40; $col += 7) {
                    foreach ($places as [$c, $r]) {
                        if (abs($c - $col) + abs($r - $row) < 90) {
                            continue 2;
                        }
                    }
                    for ($k = 0; $k < (2 * $deep + 1) ** 2; $k++) {
                        if ($codes[($row - $deep + intdiv($k, 2 * $deep + 1)) * $grid->width + $col - $deep + $k % (2 * $deep + 1)] !== $code) {
                            continue 2;
                        }
                    }
                    $places[] = [$col, $row];
                }
            }

            return $places;
        })();

        return $found["$cover $deep"][$number % max(1, count($found["$cover $deep"]))];
    }
}
