<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Cases\Cases;
use Chorometra\Core\Classify\Keys\Couplet;
use Chorometra\Core\Classify\Keys\KeyDocument;
use Chorometra\Core\Classify\Keys\KeyRun;
use Chorometra\Core\Classify\Keys\Learnt;
use Chorometra\Core\Classify\Keys\MeasureHistogram;
use Chorometra\Core\Tests\TestCase;

/** The same vectors hold the browser's way through a key (tests/Front/key.test.ts). */
final class KeyRunTest extends TestCase
{
    public function test_cases_go_where_a_plain_reading_sends_them(): void
    {
        $told = self::fixture('key_vectors.json');
        $given = fn (array $values): array => array_map(fn (int|float|null $value): float => $value ?? NAN, $values);
        // what is learnt stands in the vectors as shares: examples at them give shares of eighths
        $columns = array_map($given, $told['columns']);
        $columns['taught'] = $given($told['shares']);
        unset($told['key']['couplets'][4]['examples']);
        $told['key']['couplets'][4] += ['measure' => 'taught', 'least' => 0.500001];
        $cases = new class($columns, $told['pixels']) implements Cases {
            /**
             * @param  array<string, list<float>>  $columns
             * @param  list<int>  $pixels
             */
            public function __construct(private readonly array $columns, private readonly array $pixels) {}

            public function count(): int
            {
                return count($this->pixels);
            }

            public function column(string $text): array
            {
                return ['unit' => null, 'values' => $this->columns[$text]];
            }

            public function pixels(): array
            {
                return $this->pixels;
            }

            public function hectares(): ?array
            {
                return null;
            }

            public function leaves(): ?array
            {
                return null;
            }
        };
        $sorting = new KeyRun(KeyDocument::of($told['key']), fn (Couplet $couplet, Cases $cases): ?Learnt => null, $cases);
        self::assertSame($told['codes'], $sorting->codes);
        $sides = ['yes' => KeyRun::YES, 'no' => KeyRun::NO, 'none' => KeyRun::NONE];
        foreach ($told['ways'] as $couplet => $ways) {
            foreach ($ways as $side => [$number, $pixels]) {
                $way = $sorting->ways[$couplet][$sides[$side]];
                self::assertEqualsWithDelta([$number, $pixels], [$way['cases'], $way['pixels']], 0.0, "$couplet $side");
            }
        }
        self::assertArrayNotHasKey('spare', $sorting->ways, 'what no answer leads to is not asked');
        $spread = $sorting->spreads['water'];
        self::assertInstanceOf(MeasureHistogram::class, $spread);
        $valid = array_filter($columns['ndwi()'], fn (float $value): bool => ! is_nan($value));
        self::assertEqualsWithDelta([min($valid), max($valid)], [$spread->minimum, $spread->maximum], 0.0);
        self::assertEqualsWithDelta($told['ways']['water']['yes'][1] + $told['ways']['water']['no'][1], array_sum($spread->counts), 0.0);
    }
}
