<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Classify\Cases\Cases;
use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Classify\Models\Classifiers;
use Chorometra\Core\Classify\Models\Method;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** What a couplet has learnt from examples: a classifier of two classes, made of their values and answers, and the same each time it is made. */
final readonly class Learnt
{
    /** Cases that one worker answers at a time. */
    private const PART = 8192;

    /** What a couplet learns with unless it names another. */
    private const METHOD = 'nearest-neighbours';

    /** Settings of methods that a couplet may have. */
    private const SETTINGS = ['neighbours' => true, 'trees' => true, 'seed' => true];

    private Classifier $classifier;

    /**
     * @param  array<string, mixed>  $told  the examples of a couplet: measures, method, its settings, seed
     * @param  list<list<float>>  $columns  values of the examples by measure, without NaN
     * @param  list<int>  $answers  1 for yes, 0 for no; both occur
     */
    private function __construct(Couplet $couplet, private array $told, private array $columns, private array $answers)
    {
        $method = $told['method'] ?? self::METHOD;
        if (! in_array($method, Classifiers::withPosteriors(), true)) {
            throw $couplet->problem("it can't learn by “{$method}”; it can by ".implode(', ', Classifiers::withPosteriors()).'.');
        }
        $bands = array_map(fn (string $measure): array => [$measure, null], array_values($told['measures']));
        $settings = ['standardise' => 'yes', 'most' => count($answers)] + array_intersect_key($told, self::SETTINGS);
        $training = new Training(Classifiers::all()[$method], $bands, $settings);
        $places = array_keys($answers);
        try {
            $samples = new Samples(Legend::of(['no', 'yes']), $columns, $answers, $places, $places);
            $this->classifier = $training->taught($samples, new Context(1))->classifier(255);
        } catch (Problem $problem) {
            throw $couplet->met($problem);
        }
    }

    /** @return list<array{name: string, help: string, setting: string|null, default: int|null}> what a couplet can learn with, and what is set there */
    public static function methods(): array
    {
        $methods = array_filter(Classifiers::methods(), fn (Method $method): bool => $method->hasPosteriors);

        return array_map(function (Method $method): array {
            $own = array_values(array_filter($method->settings, fn (Setting $setting): bool => isset(self::SETTINGS[$setting->name])))[0] ?? null;

            return ['name' => $method->name, 'help' => $method->help, 'setting' => $own?->name, 'default' => is_int($own?->default) ? $own->default : null];
        }, array_values($methods));
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<int>  $answers
     *
     * @throws Problem where nothing can be learnt from them
     */
    public static function from(Couplet $couplet, array $columns, array $answers): self
    {
        foreach ([1 => 'yes', 0 => 'no'] as $answer => $word) {
            if (! in_array($answer, $answers, true)) {
                throw $couplet->problem("there are no examples for $word: give some for both answers.");
            }
        }

        return new self($couplet, $couplet->told['examples'], $columns, $answers);
    }

    /**
     * What the key carries; null where it was not taught yet.
     *
     * @throws Problem where what the key carries is inconsistent
     */
    public static function carried(Couplet $couplet): ?self
    {
        $told = $couplet->told['examples'];
        $rows = $told['values'] ?? [];
        if ($rows === []) {
            return null;
        }
        $measures = count($told['measures']);
        if (array_unique([...array_map(count(...), $rows), $measures]) !== [$measures] || count($told['answers'] ?? []) !== count($rows)) {
            throw $couplet->problem('its trained data are inconsistent: values, answers and measures differ in number.');
        }
        $columns = array_map(fn (int $measure): array => array_map(floatval(...), array_column($rows, $measure)), range(0, $measures - 1));

        return self::from($couplet, $columns, array_map(fn (string $answer): int => $answer === 'yes' ? 1 : 0, $told['answers']));
    }

    /**
     * How much speaks for yes.
     *
     * @param  list<list<float>>  $columns  by measure
     * @param  Context|null  $context  whose workers share what is much; null where all of them are at work already
     * @return list<float> 0 to 1; NaN where a value is missing
     */
    public function shares(array $columns, int $count, ?Context $context = null): array
    {
        if ($context === null || $count <= self::PART) {
            return $this->classifier->assign($columns, $count, shares: true)->shares[1];
        }
        $number = intdiv($count + self::PART - 1, self::PART);
        $parts = Workers::all($number, $context, 'comparing with examples', function (int $part) use ($columns, $count): string {
            $some = array_map(fn (array $values): array => array_slice($values, $part * self::PART, self::PART), $columns);

            return pack('e*', ...$this->classifier->assign($some, min(self::PART, $count - $part * self::PART), shares: true)->shares[1]);
        });

        return array_map(floatval(...), array_values((array) unpack('e*', implode('', $parts))));
    }

    /** @return array{int, int} examples for yes, and for no */
    public function counts(): array
    {
        return [array_sum($this->answers), count($this->answers) - array_sum($this->answers)];
    }

    /** @return array<string, mixed> the examples of a couplet with what was learnt from them */
    public function toArray(): array
    {
        return [
            ...array_diff_key($this->told, ['means' => true, 'deviations' => true]),
            'method' => $this->told['method'] ?? self::METHOD,
            'seed' => $this->told['seed'] ?? 1,
            'values' => array_map(fn (int $case): array => array_column($this->columns, $case), array_keys($this->answers)),
            'answers' => array_map(fn (int $answer): string => $answer === 1 ? 'yes' : 'no', $this->answers),
        ];
    }
}
