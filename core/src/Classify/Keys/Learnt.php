<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Stats\Learner;
use Chorometra\Core\Stats\NearestNeighbours;
use Chorometra\Core\Stats\RandomForest;
use Chorometra\Core\Stats\Standardisation;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** What a couplet has learnt from examples: their values and answers, from which the same learner is made each time. */
final readonly class Learnt
{
    /** Cases that one worker answers at a time. */
    private const PART = 8192;

    public const METHODS = ['nearest-neighbours', 'random-forest'];

    private Standardisation $standard;

    private Learner $learner;

    /**
     * @param  array<string, mixed>  $told  the examples of a couplet: measures, method, neighbours, trees, seed
     * @param  list<list<float>>  $columns  values of the examples by measure, without NaN
     * @param  list<int>  $answers  1 for yes, 0 for no
     */
    private function __construct(private array $told, private array $columns, private array $answers, ?Standardisation $standard = null)
    {
        $this->standard = $standard ?? Standardisation::of($columns);
        $own = array_map($this->standard->apply(...), array_keys($columns), $columns);
        $this->learner = ($told['method'] ?? self::METHODS[0]) === 'random-forest'
            ? RandomForest::grown($own, $answers, 2, $told['trees'] ?? 100, $told['seed'] ?? 1)
            : new NearestNeighbours($own, $answers, 2, $told['neighbours'] ?? 5);
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<int>  $answers
     */
    public static function from(Couplet $couplet, array $columns, array $answers): self
    {
        foreach ([1 => 'yes', 0 => 'no'] as $answer => $word) {
            if (! in_array($answer, $answers, true)) {
                throw $couplet->problem("there are no examples for $word: give some for both answers.");
            }
        }

        return new self($couplet->told['examples'], $columns, $answers);
    }

    /** What the key carries; null where it was not taught yet. */
    public static function carried(Couplet $couplet): ?self
    {
        $told = $couplet->told['examples'];
        $rows = $told['values'] ?? [];
        if ($rows === []) {
            return null;
        }
        $measures = count($told['measures']);
        $lengths = array_unique([...array_map(count(...), $rows), $measures, count($told['means'] ?? []), count($told['deviations'] ?? [])]);
        if (count($lengths) !== 1 || count($told['answers'] ?? []) !== count($rows)) {
            throw $couplet->problem('its trained data are inconsistent: values, answers, means and deviations differ in number.');
        }
        $columns = array_map(fn (int $measure): array => array_map(floatval(...), array_column($rows, $measure)), range(0, $measures - 1));
        $answers = array_map(fn (string $answer): int => $answer === 'yes' ? 1 : 0, $told['answers']);
        $standard = new Standardisation(array_map(floatval(...), $told['means']), array_map(floatval(...), $told['deviations']));

        return count(array_unique($answers)) === 2 ? new self($told, $columns, $answers, $standard) : self::from($couplet, $columns, $answers);
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
        $own = array_map($this->standard->apply(...), array_keys($columns), $columns);
        if ($context === null || $count <= self::PART) {
            return $this->learner->shares($own, $count)[1];
        }
        $parts = [];
        Workers::run(intdiv($count + self::PART - 1, self::PART), $context, 'comparing with examples', function (int $part) use ($own, $count): string {
            $some = min(self::PART, $count - $part * self::PART);
            $columns = array_map(fn (array $values): array => array_slice($values, $part * self::PART, $some), $own);

            return pack('e*', ...$this->learner->shares($columns, $some)[1]);
        }, function (int $part, mixed $shares) use (&$parts): void {
            $parts[$part] = $shares;
        });
        ksort($parts);

        return array_map(floatval(...), array_values((array) unpack('e*', implode('', $parts))));
    }

    /** @return array{int, int} examples for yes, and for no */
    public function counts(): array
    {
        return [array_sum($this->answers), count($this->answers) - array_sum($this->answers)];
    }

    /** @return array<string, mixed> the examples of a couplet with what was learnt from them */
    public function told(): array
    {
        return [
            ...$this->told,
            'method' => $this->told['method'] ?? self::METHODS[0],
            'seed' => $this->told['seed'] ?? 1,
            'values' => array_map(fn (int $case): array => array_column($this->columns, $case), array_keys($this->answers)),
            'answers' => array_map(fn (int $answer): string => $answer === 1 ? 'yes' : 'no', $this->answers),
            'means' => $this->standard->means,
            'deviations' => $this->standard->deviations,
        ];
    }
}
