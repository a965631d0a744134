<?php

// A hundred thousand segments through ten couplets and five rules, and answered by examples over twenty measures: bin/benchmark keys

require __DIR__.'/../vendor/autoload.php';

use Chorometra\Core\Classify\Cases\Cases;
use Chorometra\Core\Classify\Keys\Couplet;
use Chorometra\Core\Classify\Keys\KeyDocument;
use Chorometra\Core\Classify\Keys\KeyRun;
use Chorometra\Core\Classify\Keys\Learnt;
use Chorometra\Core\Classify\Keys\Tidy;
use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Work\Context;
use Random\Engine\Mt19937;
use Random\Randomizer;

ini_set('memory_limit', '2G');
const SIDE = 317;
$count = SIDE ** 2;
$random = new Randomizer(new Mt19937(1));
$noise = fn (int $number): array => array_map(fn (): float => $random->getInt(0, 1_000_000) / 1e6, range(1, $number));
$columns = [];
for ($k = 0; $k < 20; $k++) {
    $columns["m$k"] = $noise($count);
}
$first = $second = [];
for ($i = 0; $i < $count; $i++) {
    foreach ([[($i + 1) % SIDE > 0, $i + 1], [$i + SIDE < $count, $i + SIDE]] as [$isThere, $other]) {
        if ($isThere) {
            $first[] = $i;
            $second[] = $other;
        }
    }
}
$graph = new Graph(range(1, $count), array_fill(0, $count, 160), $first, $second, array_fill(0, count($first), 12.0), array_fill(0, $count, 0.0));
$cases = new class($columns, $count) implements Cases {
    /** @param  array<string, list<float>>  $columns */
    public function __construct(private readonly array $columns, private readonly int $count) {}

    public function count(): int
    {
        return $this->count;
    }

    public function column(string $text): array
    {
        return ['unit' => null, 'values' => $this->columns[$text]];
    }

    public function pixels(): array
    {
        return array_fill(0, $this->count, 160);
    }

    public function hectares(): array
    {
        return array_fill(0, $this->count, 6.4);
    }

    public function leaves(): ?array
    {
        return null;
    }
};
$classes = array_map(fn (int $k): array => ['value' => $k, 'name' => "c$k", 'colour' => '#888888'], range(1, 5));
$couplets = [];
for ($k = 0; $k < 10; $k++) {
    $no = $k < 9 ? ['couplet' => 'q'.($k + 1)] : null;
    $couplets[] = ['id' => "q$k", 'measure' => "m$k", 'least' => 0.85, 'yes' => ['class' => 'c'.(1 + $k % 5)], 'no' => $no];
}
$key = KeyDocument::of(['classes' => $classes, 'couplets' => $couplets, 'rest' => 'c5', 'rules' => [
    ['rule' => 'absorb', 'below' => 400],
    ['rule' => 'fill', 'with' => 'c1', 'share' => 0.6],
    ['rule' => 'absorb', 'below' => 800, 'of' => ['c2', 'c3']],
    ['rule' => 'give-back', 'of' => ['c4']],
    ['rule' => 'dissolve'],
]]);
$timed = function (string $what, Closure $do): mixed {
    $best = INF;
    for ($run = 0; $run < 4; $run++) {
        $start = hrtime(true);
        $made = $do();
        $best = min($best, (hrtime(true) - $start) / 1e9);
    }
    printf("| %-58s | %6.2f |\n", $what, $best);

    return $made;
};
$sort = fn (): KeyRun => new KeyRun($key, fn (Couplet $couplet, Cases $cases): ?Learnt => null, $cases);
$sorting = $timed("$count segments through ten couplets", $sort);
$timed('five rules after them', fn (): array => Tidy::all($key, $graph, $cases->hectares(), $sorting->codes, $sorting->pieces)[1]);
$context = new Context(2);
foreach (['nearest-neighbours', 'random-forest'] as $method) {
    $given = array_map(fn (int $k): array => $noise(200), range(1, 20));
    $answers = array_map(fn (float $one): int => $one > 0.5 ? 1 : 0, $given[0]);
    $told = ['id' => 'x', 'examples' => ['measures' => array_keys($columns), 'method' => $method], 'yes' => null, 'no' => null];
    $learnt = fn (): Learnt => Learnt::from(Couplet::of($told), $given, $answers);
    $timed("200 examples over twenty measures, $method", fn (): array => $learnt()->shares(array_values($columns), $count, $context));
}
