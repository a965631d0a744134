<?php

namespace Tests\Feature;

use Tests\TestCase;

/** What views and desk ask of segments: a trial with its tree, measures as columns, as CSV. */
class SegmentTest extends TestCase
{
    public function test_a_trial_of_merging_comes_with_its_tree_and_curve(): void
    {
        [$study, $ground] = $this->ground();
        $call = [
            'kind' => 'segment.merge',
            'inputs' => ['images:1' => ['step' => $ground['id'], 'output' => 'result']],
            'settings' => ['merge-limit' => 6],
            'window' => [431_000, 6_071_400, 431_800, 6_072_000],
        ];
        $trial = $this->postJson("/api/studies/$study->id/trials", $call)->assertOk();
        self::assertSame(['segments', 'tree'], array_column($trial->json('items'), 'type'));
        self::assertSame(1, $trial->json('reduced'));
        $limits = $trial->json('figures.limits');
        self::assertEqualsWithDelta(24.0, end($limits)['limit'], 1e-9);
        $tree = $trial->json('items.1.id');
        $column = fn (string $name): array => array_values(
            (array) unpack('e*', (string) $this->get("/api/items/$tree/column?name=$name")->assertOk()->getContent()),
        );
        $heights = $column('height');
        self::assertCount(count($column('first')), $heights);
        $joined = count(array_filter($heights, fn (float $height): bool => $height <= 6.0));
        self::assertSame($trial->json('figures.segments'), $trial->json('figures.leaves') - $joined);
        self::says($this->getJson("/api/items/$tree/column?name=depth"), 'holds no “depth”', 'name');
        // a trial looks at no more than a square of the image's own pixels
        $kinds = array_column($this->getJson('/api/kinds')->json(), null, 'id');
        self::assertSame(512, $kinds['segment.merge']['desk']['trialSide']);
        self::assertNull($kinds['derive.formula']['desk']['trialSide']);
    }

    public function test_measures_come_as_columns_formulas_and_csv(): void
    {
        [$study, $ground] = $this->ground();
        $image = ['step' => $ground['id'], 'output' => 'result'];
        $merge = $this->step($study, 'segment.merge', ['images:1' => $image], ['merge-limit' => 6]);
        $made = ['segments' => ['step' => $merge['id'], 'output' => 'segments'], 'images:1' => $image];
        $measure = $this->step($study, 'segment.measure', $made, ['measures' => ['pixels', 'mean(green)', 'mean(nir)']]);
        $item = self::itemOf($measure, 'measures');
        $column = fn (string $name): array => array_values(
            (array) unpack('e*', (string) $this->get("/api/items/$item/column?name=".rawurlencode($name))->assertOk()->getContent()),
        );
        [$green, $nir] = [$column('mean(green)'), $column('mean(nir)')];
        self::assertCount($merge['figures']['segments'], $green);
        foreach ($column('(green - nir) / (green + nir)') as $i => $index) {
            self::assertEqualsWithDelta(($green[$i] - $nir[$i]) / ($green[$i] + $nir[$i]), $index, 1e-12);
        }
        self::says($this->getJson("/api/items/$item/column?name=".rawurlencode('swir1 * 2')), 'mean(swir1) is not among the measures', 'measure');
        self::says($this->getJson("/api/items/$item/column?name=".rawurlencode('(green')), 'is missing', 'formulas');
        $csv = explode("\n", trim($this->get("/api/items/$item/csv")->assertOk()->streamedContent()));
        self::assertSame('segment,pixels,mean(green),mean(nir)', $csv[0]);
        self::assertCount(1 + count($green), $csv);
        self::assertSame($green[0], (float) explode(',', $csv[1])[2]);
        // an image has neither
        $this->getJson('/api/items/'.self::itemOf($ground).'/csv')->assertNotFound();
        $this->getJson('/api/items/'.self::itemOf($ground).'/column?name=x')->assertNotFound();
    }
}
