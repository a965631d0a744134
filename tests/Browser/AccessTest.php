<?php

namespace Tests\Browser;

use Facebook\WebDriver\WebDriverBy;

/** Every main view held to WCAG 2.2, A and AA, by axe-core: in light and in dark. */
class AccessTest extends BrowserTestCase
{
    private const RULES = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22a', 'wcag22aa'];

    /** @var array<string, string> where each was seen last */
    private array $found = [];

    private function make(string $kind, array $inputs, array $settings = []): int
    {
        $step = $this->send('POST', 'api/studies/1/steps', ['kind' => $kind, 'inputs' => $inputs, 'settings' => $settings + [], 'run' => true])['id'];
        $this->until(fn (): bool => in_array($this->get("steps/$step")['state'], ['done', 'failed'], true));
        self::assertSame('done', $this->get("steps/$step")['state'], $kind);

        return $step;
    }

    /** What axe finds in what is on the screen, under both themes. */
    private function look(string $name): void
    {
        $this->browser->executeScript('if (!window.axe) { '.file_get_contents(dirname(__DIR__, 2).'/node_modules/axe-core/axe.min.js').' }');
        foreach (['light', 'dark'] as $theme) {
            $this->browser->executeScript('document.documentElement.dataset.theme = arguments[0]', [$theme]);
            $answer = $this->browser->executeAsyncScript(<<<'JS'
                const [tags, done] = arguments;
                const why = (node) => node.any.concat(node.all).map((check) => check.message).join('; ');
                const lines = (one) => one.nodes.map((node) => `${one.id}: ${node.target.join(' ')} (${why(node)})`);
                axe.run(document, { runOnly: [...tags], rules: { 'page-has-heading-one': { enabled: true } }, resultTypes: ['violations'] })
                    .then((result) => done(result.violations.flatMap(lines)), (error) => done([String(error)]));
                JS, [self::RULES]);
            foreach ($answer as $line) {
                $this->found[$line] = "$name, $theme: $line";
            }
        }
        $this->browser->executeScript('document.documentElement.dataset.theme = "light"');
        $this->addToAssertionCount(1);
    }

    private function kind(string $id): void
    {
        $this->press('[data-stage='.strstr($id, '.', true).']');
        $this->press("[data-kind=\"$id\"]");
        $this->see('[data-run]');
        $this->look($id);
    }

    /** Limits on both tails, the rose of directions, flows between classes, and points being labelled. */
    private function change(int $image, int $index): void
    {
        $of = fn (int $step, string $output = 'result'): array => ['step' => $step, 'output' => $output];
        $later = $this->make('correct.dark-object', ['image' => $of($image)], ['assumed' => 1]);
        $dates = ['before' => $of($image), 'after' => $of($later)];
        $limits = ['limits' => 'percentiles', 'above' => 95];
        $names = ['names' => ['land', 'water']];
        $maps = array_map(fn (float $limit): array => $of($this->make('segment.slice', ['image' => $of($index)], ['limits' => [$limit]] + $names), 'classes'),
            [0.0, 0.2]);
        $made = [
            'limits on both tails' => [
                $this->make('compare.difference', $dates, $limits + ['below' => 5, 'bands' => ['red', 'nir']]),
                '[data-tails] [data-handle="1"]',
            ],
            'the rose of directions' => [$this->make('compare.vector', $dates, $limits + ['bands' => ['red', 'nir']]), '[data-rose]'],
            'flows between classes' => [$this->make('compare.classes', ['maps:1' => $maps[0], 'maps:2' => $maps[1]]), '[data-flows]'],
        ];
        $draw = $this->make('assess.draw', ['map' => $maps[0]], ['points' => 4]);
        foreach ($made as $name => [$step, $shown]) {
            $this->press("[data-step=\"{$this->get("steps/$step")['number']}\"]");
            $this->see($shown);
            $this->look($name);
        }
        $this->press("[data-step=\"{$this->get("steps/$draw")['number']}\"]");
        $this->press('[data-label-points]');
        $this->see('[data-point-spectrum]');
        $this->look('a point being labelled');
        foreach (range(1, 4) as $k) {
            $this->keys('1');
            $this->reads('[data-check]', "$k of 4 labelled");
        }
        $this->see('[data-matrix]');
        // below the bar of the desk it could not be pressed
        $this->browser->executeScript('document.querySelector("[data-matrix]").scrollIntoView()');
        $this->look('the matrix');
        $this->press('[data-done]');
    }

    public function test_no_violation_on_any_main_view(): void
    {
        $this->until(fn (): bool => ($this->get('steps/1')['state'] ?? '') === 'done');
        $calibrated = $this->make('correct.calibrate', ['image' => ['step' => 1, 'output' => 'multispectral']]);
        $index = $this->make('derive.index', ['image' => ['step' => $calibrated, 'output' => 'result']], ['index' => 'ndwi']);
        $slices = $this->make('segment.slice', ['image' => ['step' => $index, 'output' => 'result']], ['limits' => [0]]);
        $this->make('assess.draw', ['map' => ['step' => $slices, 'output' => 'classes']], ['points' => 6]);

        $this->open('/');
        $this->see('[data-study]');
        $this->look('studies');
        $this->open('/work');
        $this->see('h1');
        $this->look('work');
        $this->open('/studies/1/archive');
        $this->see('[data-scene]');
        $this->look('archive');

        $this->open('/studies/1');
        $this->see('[data-step="5"]');
        $this->look('bench');
        $this->keys('p');
        $this->press('[data-view=a] [role=application]');
        $this->see('[data-peg-row=A]');
        $this->look('readings');
        foreach (['gather', 'correct', 'deliver'] as $stage) {
            $this->press("[data-stage=$stage]");
            $this->look("the stage $stage");
        }
        foreach (
            ['gather.bundle', 'gather.mosaic', 'correct.surface', 'correct.dark-object', 'correct.terrain', 'derive.index', 'segment.slice',
                'deliver.image'] as $kind
        ) {
            $this->kind($kind);
        }
        foreach ([$calibrated, $slices, $slices + 1] as $step) {
            $this->press("[data-step=\"$step\"]");
            $this->look("the desk of step $step");
        }
        // training areas with what they say, and clusters that are named
        $this->training($calibrated);
        $this->change($calibrated, $index);
        // segments: the limit drawn along, shading with its scatter, the table
        $this->press('[data-stage=segment]');
        $this->press('[data-kind="segment.merge"]');
        $this->see('[data-limit-plot]');
        $this->look('the limit of merging');
        $image = ['step' => $calibrated, 'output' => 'result'];
        $merge = $this->make('segment.merge', ['images:1' => $image], ['merge-limit' => 20]);
        $this->make('segment.measure', ['segments' => ['step' => $merge, 'output' => 'segments'], 'images:1' => $image]);
        $this->press('[data-step="'.($merge + 1).'"]');
        $this->fill('[data-shade-by]', 'mean(nir)');
        $this->press('[data-set-limit]');
        $this->fill('[data-against]', 'mean(red)');
        $this->see('[data-scatter]');
        $this->press('[data-drawer]');
        $this->see('[data-segment-table] [data-row="0"]');
        $this->look('segments shaded');
        // the key: a question of a limit, one of examples, rules, and a question that is being thought of
        $key = json_decode((string) file_get_contents(dirname(__DIR__, 2).'/examples/water-and-vegetation.key.json'), true);
        $key['rules'] = [['rule' => 'absorb', 'below' => 5], ['rule' => 'fill', 'with' => 'water']];
        $this->send('POST', 'api/studies/1/keys', ['document' => $key]);
        $this->press('[data-stage=classify]');
        $this->look('the stage classify');
        $this->press('[data-kind="classify.key"]');
        $this->until(fn (): bool => count($this->see('[data-key-choice]')->findElements(WebDriverBy::cssSelector('option'))) > 3);
        $this->choose('[data-key-choice]', 'key/1');
        $this->see('[data-fork=green]');
        $this->press('[data-open-rule="0"]');
        $this->reads('[data-rule="0"] [data-effect]', '');
        $this->look('the desk of a key');
        $this->press('[data-to-examples]');
        $this->see('[data-examples]');
        $this->look('examples');
        $this->press('[data-ask="green/no"]');
        $this->see('[data-ask-form]');
        $this->look('a new question');
        $this->keys('?');
        $this->see('[role=dialog]');
        $this->look('the sheet of keys');
        // an exercise, with a control marked
        $this->open('/');
        $this->press('[data-begin=first-map]');
        $this->see('[data-task-go]');
        $this->look('an exercise');
        self::assertSame([], array_values($this->found));
    }

    private function training(int $image): void
    {
        $drawing = $this->send('POST', 'api/studies/1/drawings', ['name' => 'training areas'])['id'];
        foreach ([['water', 20, 60], ['water', 30, 480], ['land', 380, 60], ['land', 420, 520]] as $k => [$class, $col, $row]) {
            $at = fn (int $c, int $r): array => [431_000 + 20 * $c, 6_072_000 - 20 * $r];
            $ring = [$at($col, $row), $at($col + 30, $row), $at($col + 30, $row + 30), $at($col, $row + 30), $at($col, $row)];
            $this->send('PUT', sprintf('api/drawings/%d/marks/00000000-0000-4000-8000-%012d', $drawing, $k), [
                'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]], 'class' => $class,
            ]);
        }
        $this->press('[data-stage=classify]');
        $this->press('[data-kind="classify.teach"]');
        $this->see('[data-signature=water]');
        foreach (['signatures', 'one band', 'two bands', 'pairs'] as $tab) {
            $this->press("[data-said-tab=\"$tab\"]");
            $this->look("training areas: $tab");
        }
        $clusters = $this->make('classify.clusters', ['images:1' => ['step' => $image, 'output' => 'result']], ['classes' => 4]);
        $this->press("[data-step=\"$clusters\"]");
        $this->see('[data-clusters]');
        $this->look('clusters');
    }
}
