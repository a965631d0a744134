<?php

namespace Tests\Browser;

use Facebook\WebDriver\WebDriverKeys;
use PHPUnit\Framework\Attributes\DataProvider;

/** The exercises of resources/exercises, done from the first task to the last, by mouse and by keys. */
final class ExerciseTest extends BrowserTestCase
{
    /** @return iterable<string, array{string}> */
    public static function exercises(): iterable
    {
        foreach (glob(dirname(__DIR__, 2).'/resources/exercises/*.json') ?: [] as $path) {
            yield basename($path, '.json') => [basename($path, '.json')];
        }
    }

    #[DataProvider('exercises')]
    public function test_an_exercise_is_done_by_mouse(string $name): void
    {
        $exercise = $this->begin($name, fn () => $this->press("[data-begin=$name]"));
        foreach ($exercise['tasks'] as $at => $task) {
            $this->marked($task);
            if ($at === 1) {
                // left, and taken up where it was, over a reload
                $this->press('[data-exercise-leave]');
                $this->gone('[data-exercise-mark]');
                $left = ['name' => $name, 'at' => 1, 'isOpen' => false];
                $this->until(fn (): bool => in_array($left, array_column($this->get('studies'), 'exercise'), false));
                $this->open('/');
                $this->reads("[data-continue=$name]", 'continue, 1 of 6 done');
                $this->press("[data-continue=$name]");
                $this->press('[data-exercise-take-up]');
                $this->reads('[data-task]', $task['text']);
            }
            $this->doByMouse($task);
            $this->reads('[data-task]', $exercise['tasks'][$at + 1]['text'] ?? $exercise['end']);
        }
        $this->press('[data-exercise-leave]');
        $this->gone('[data-exercise]');
        $this->noErrors();
    }

    #[DataProvider('exercises')]
    public function test_an_exercise_is_done_by_keys(string $name): void
    {
        $exercise = $this->begin($name, fn () => $this->see("[data-begin=$name]")->sendKeys(WebDriverKeys::ENTER));
        foreach ($exercise['tasks'] as $at => $task) {
            $this->marked($task);
            $this->doByKeys($task);
            $this->reads('[data-task]', $exercise['tasks'][$at + 1]['text'] ?? $exercise['end']);
        }
        $this->noErrors();
    }

    /** @return array{tasks: list<array<string, mixed>>, end: string} */
    private function begin(string $name, \Closure $start): array
    {
        $exercise = json_decode((string) file_get_contents(dirname(__DIR__, 2)."/resources/exercises/$name.json"), true, 16, JSON_THROW_ON_ERROR);
        self::assertCount(6, $exercise['tasks']);
        $this->open('/');
        $start();
        $this->reads('[data-task]', $exercise['tasks'][0]['text']);

        return $exercise;
    }

    /**
     * The mark lies round the control that the task speaks of.
     *
     * @param  array<string, mixed>  $task
     */
    private function marked(array $task): void
    {
        $this->until(fn (): bool => (bool) $this->browser->executeScript(<<<'JS'
            const mark = document.querySelector('[data-exercise-mark]')?.getBoundingClientRect();
            const control = arguments[0].flatMap((css) => [...document.querySelectorAll(css)]).find((one) => one.getClientRects().length);
            const at = control?.getBoundingClientRect();
            return mark && at && mark.left < at.left && mark.top < at.top && mark.right > at.right && mark.bottom > at.bottom;
            JS, [$task['marks']]));
    }

    /** @param  array<string, mixed>  $task */
    private function doByMouse(array $task): void
    {
        [$first, $last] = [$task['marks'][0], end($task['marks'])];
        $done = $task['done'];
        match (array_key_first($done)) {
            'kind' => [$this->press($last), $this->press($first)],
            'setting' => match (true) {
                isset($done['isNot']) => $this->press($first),
                is_int($done['is']) => $this->fill($first, (string) $done['is']),
                default => $this->choose($first, $done['is']),
            },
            'labelled' => [$this->press($last), ...array_map(fn () => $this->label(fn () => $this->press($first)), range(1, $done['labelled']))],
            'pegs' => [$this->press($first), $this->press('[data-view=a]')],
            default => $this->press($first),
        };
    }

    /** @param  array<string, mixed>  $task */
    private function doByKeys(array $task): void
    {
        $type = fn (string ...$keys) => $this->browser->switchTo()->activeElement()->sendKeys($keys);
        $done = $task['done'];
        match (array_key_first($done)) {
            'kind' => [$this->blur(), $type('/'), $this->see('[role=combobox]'), $type(collect($this->get('kinds'))->firstWhere('id', $done['kind'])['title']),
                $this->see('[role=option]'), $type(WebDriverKeys::ENTER)],
            'tried' => [$this->blur(), $type('t')],
            'ran' => [$this->blur(), $type(WebDriverKeys::CONTROL, WebDriverKeys::ENTER)],
            'setting' => match (true) {
                isset($done['isNot']) => [$this->go(), $type(WebDriverKeys::ENTER)],
                is_int($done['is']) => [$this->go(), $type(WebDriverKeys::CONTROL, 'a', WebDriverKeys::NULL, $done['is'].WebDriverKeys::TAB)],
                default => [$this->go(), $type($done['is'])],
            },
            'labelled' => [$this->go(), $type(WebDriverKeys::ENTER), ...array_map(fn () => $this->label(fn () => $type('1')), range(1, $done['labelled']))],
            'pegs' => [$this->blur(), $type('p'), $this->see('[data-view=a] [tabindex="0"], [data-view=a][tabindex="0"]')->sendKeys(WebDriverKeys::ENTER)],
            default => [$this->go(), $type(WebDriverKeys::ENTER)],
        };
    }

    /** J moves the focus to the control that is marked. */
    private function go(): void
    {
        $this->blur();
        $this->browser->switchTo()->activeElement()->sendKeys('j');
        $this->until(fn (): bool => (bool) $this->browser->executeScript('return document.activeElement !== document.body'));
    }

    /** What is typed is no setting's any more. */
    private function blur(): void
    {
        $this->browser->executeScript('document.activeElement.blur()');
    }

    /** Labels the point shown, and waits until that is kept. */
    private function label(\Closure $act): void
    {
        $study = basename((string) parse_url($this->browser->getCurrentURL(), PHP_URL_PATH));
        $labelled = fn (): int => array_sum(array_column($this->get("studies/$study")['steps'], 'labelled'));
        $before = $labelled();
        $this->see('[data-check] [data-class]');
        $act();
        $this->until(fn (): bool => $labelled() > $before);
    }
}
