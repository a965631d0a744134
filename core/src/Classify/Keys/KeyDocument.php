<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Classify\Cases\SegmentCases;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;

/** Questions asked in order that sort segments or pixels into classes, and what is tidied afterwards. */
final readonly class KeyDocument
{
    /**
     * @param  array<string, Couplet>  $couplets  by id, the first one first
     * @param  list<Rule>  $rules
     * @param  int  $rest  code of what no answer reaches, 0 for none
     * @param  array<string, mixed>  $told  the document
     */
    private function __construct(
        public Legend $legend,
        public array $couplets,
        public array $rules,
        public int $rest,
        public ?float $cut,
        public array $told,
    ) {}

    /** @throws Problem where it can't be read, or makes no sense */
    public static function read(string $path): self
    {
        return self::of(Document::read($path, 'key'));
    }

    /**
     * @param  array<string, mixed>  $told  held to the schema
     *
     * @throws Problem where it makes no sense, about the part that does not
     */
    public static function of(array $told): self
    {
        $classes = [];
        foreach ($told['classes'] as $class) {
            if (isset($classes[$class['value']]) || in_array($class['name'], array_column($classes, 'name'), true)) {
                throw Problem::input("The key has two classes of the name {$class['name']} or of the code {$class['value']}.", 'key/classes');
            }
            $classes[$class['value']] = ['name' => $class['name'], 'colour' => $class['colour']];
        }
        $legend = new Legend($classes);
        $couplets = [];
        foreach ($told['couplets'] as $one) {
            $couplet = Couplet::of($one);
            if (isset($couplets[$couplet->id])) {
                throw $couplet->problem("“{$couplet->id}” occurs twice: each question needs its own id.");
            }
            $couplets[$couplet->id] = $couplet;
        }
        $rest = $told['rest'] ?? null;
        $key = new self(
            $legend,
            $couplets,
            self::rules($told['rules'] ?? [], $legend),
            $rest === null ? 0 : $legend->codeOf($rest) ?? throw Problem::input("The key has no class “{$rest}” for the rest.", 'key/rest'),
            isset($told['cut']) ? (float) $told['cut'] : null,
            $told,
        );
        foreach ($couplets as $couplet) {
            foreach ([$couplet->yes, $couplet->no] as $answer) {
                if ($answer->class !== null && $legend->codeOf($answer->class) === null) {
                    throw $couplet->problem("an answer leads to the class “{$answer->class}”, which is not in the key.");
                }
                if ($answer->couplet !== null && ! isset($couplets[$answer->couplet])) {
                    throw $couplet->problem("an answer leads to the question “{$answer->couplet}”, which is not in the key.");
                }
            }
        }
        $key->order();

        return $key;
    }

    /** The code that an answer gives; null where it asks on. */
    public function code(Answer $answer): ?int
    {
        return $answer->couplet !== null ? null : ($answer->class === null ? $this->rest : (int) $this->legend->codeOf($answer->class));
    }

    public function restName(): ?string
    {
        return $this->rest === 0 ? null : $this->legend->name($this->rest);
    }

    public function first(): ?Couplet
    {
        return array_values($this->couplets)[0] ?? null;
    }

    /**
     * Couplets that are asked, each after the one that leads to it.
     *
     * @return list<Couplet>
     *
     * @throws Problem where they go in a circle, or two answers lead to one
     */
    public function order(): array
    {
        $order = [];
        $seen = [];
        $open = array_filter([$this->first()]);
        while ($open !== []) {
            $couplet = array_shift($open);
            if (isset($seen[$couplet->id])) {
                throw $couplet->problem('two answers lead to it, or it leads back to itself: each question may be reached from one answer only.');
            }
            $seen[$couplet->id] = true;
            $order[] = $couplet;
            foreach ([$couplet->no, $couplet->yes] as $answer) {
                if ($answer->couplet !== null) {
                    array_unshift($open, $this->couplets[$answer->couplet]);
                }
            }
        }

        return $order;
    }

    /** @throws Problem about the couplet that asks for what these images can't give */
    public function check(SegmentCases $cases): void
    {
        foreach ($this->order() as $couplet) {
            foreach ($couplet->measures() as $text) {
                try {
                    $cases->check($text);
                } catch (Problem $problem) {
                    throw $couplet->met($problem);
                }
            }
        }
    }

    /** Whether examples answer anywhere. */
    public function learns(): bool
    {
        return array_filter($this->order(), fn (Couplet $couplet): bool => $couplet->measure === null) !== [];
    }

    /** Whether anything is cut along the tree. */
    public function cuts(): bool
    {
        return $this->cut !== null || array_filter($this->order(), fn (Couplet $one): bool => $one->yes->cut !== null || $one->no->cut !== null) !== [];
    }

    /**
     * @param  list<array<string, mixed>>  $told
     * @return list<Rule>
     */
    private static function rules(array $told, Legend $legend): array
    {
        $rules = [];
        foreach ($told as $at => $rule) {
            $rules[] = self::rule($rule, $at, $legend);
        }

        return $rules;
    }

    /** @param  array<string, mixed>  $told */
    private static function rule(array $told, int $at, Legend $legend): Rule
    {
        $problem = fn (string $sentence): Problem => Problem::input('In rule '.($at + 1).' of the key '.$sentence, "key/rules/$at");
        $code = fn (string $name): int => $legend->codeOf($name) ?? throw $problem("there is no class “{$name}”.");
        $of = array_map($code, $told['of'] ?? []);
        $what = $told['rule'];
        if ($what === 'absorb' && ! isset($told['below'])) {
            throw $problem('“below” is missing: below which size a patch is small.');
        }
        if ($what === 'fill' && ! isset($told['with'])) {
            throw $problem('“with” is missing: the class that fills.');
        }
        if ($what === 'give-back' && $of === []) {
            throw $problem('“of” is missing: the classes to unlabel.');
        }
        $isInHectares = ($told['unit'] ?? 'pixels') === 'ha';
        $size = isset($told['below']) ? sprintf('below %g %s', $told['below'], $isInHectares ? 'ha' : 'pixels') : '';
        $names = implode(', ', $told['of'] ?? []);
        $into = ($told['into'] ?? 'neighbour') === 'unlabelled' ? 'to unlabelled' : 'into the neighbour';
        $share = (float) ($told['share'] ?? 1.0);
        $words = match ($what) {
            'absorb' => "absorb $names $size $into",
            'fill' => "fill $names $size with ".$told['with'].($share < 1.0 ? sprintf(' from %g %% of the edge', 100 * $share) : ''),
            'give-back' => "give back $names",
            default => "dissolve $names",
        };

        return new Rule(
            $what,
            ($told['off'] ?? false) === true,
            $of,
            isset($told['below']) ? (float) $told['below'] : INF,
            $isInHectares,
            ($told['into'] ?? 'neighbour') === 'neighbour',
            isset($told['with']) ? $code($told['with']) : null,
            $share,
            (string) preg_replace('/\s+/', ' ', trim($words)),
        );
    }
}
