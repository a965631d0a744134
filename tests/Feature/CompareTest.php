<?php

namespace Tests\Feature;

use App\Models\Study;
use Tests\TestCase;

/** Two dates compared through the API: what stands against it first, then what it makes. */
class CompareTest extends TestCase
{
    /** @return array{Study, array<string, mixed>, array<string, mixed>} a study with two dates, the later with a field that lost its green */
    private function dates(string $later = '2033-06-03'): array
    {
        [$study, $first] = $this->ground();
        $green = $nir = [];
        for ($i = 0; $i < 1200; $i++) {
            $isWater = $i % 40 < 10;
            $isLost = $i % 40 > 30 && $i > 800;
            $green[] = $i < 40 ? NAN : ($isWater ? 0.08 : 0.06);
            $nir[] = $i < 40 ? NAN : ($isWater ? 0.02 : ($isLost ? 0.05 : 0.30)) + 0.0001 * ($i % 7);
        }
        $upload = $this->upload($study, $this->image('later.tif', 40, 30, ['green' => $green, 'nir' => $nir]))->json('upload');

        return [$study, $first, $this->step($study, 'gather.image', ['image' => ['upload' => $upload]], ['roles' => ['green', 'nir'], 'date' => $later])];
    }

    /** @return array<string, string> by what it is about */
    private function against(Study $study, string $kind, array $inputs): array
    {
        $told = $this->postJson("/api/studies/$study->id/against", ['kind' => $kind, 'inputs' => $inputs])->assertOk()->json();

        return array_column($told, 'text', 'about');
    }

    public function test_what_stands_against_a_comparison_is_said_before_it_runs(): void
    {
        [$study, $first, $second] = $this->dates('2030-12-01');
        $inputs = ['before' => ['step' => $first['id']], 'after' => ['step' => $second['id']]];
        $told = $this->against($study, 'compare.difference', $inputs);
        self::assertSame(['order', 'season'], array_keys($told));
        self::assertStringContainsString('“Before” is of 12 May 2031 and “after” of 1 December 2030', $told['order']);
        // what only one of them went through
        $patched = $this->step($study, 'correct.gaps', ['image' => ['step' => $second['id']]]);
        $told = $this->against($study, 'compare.difference', ['before' => ['step' => $first['id']], 'after' => ['step' => $patched['id']]]);
        self::assertStringContainsString('“before” did not go through', $told['corrections']);
        // kinds that mind nothing say nothing
        self::assertSame([], $this->against($study, 'derive.index', ['image' => ['step' => $first['id']]]));
        $half = ['kind' => 'compare.mad', 'inputs' => ['before' => ['step' => $first['id']]]];
        self::says($this->postJson("/api/studies/$study->id/against", $half), 'The input after is missing', 'after');
    }

    public function test_change_is_a_class_map_with_its_hectares(): void
    {
        [$study, $first, $second] = $this->dates();
        $settings = ['bands' => ['nir'], 'limits' => 'deviations', 'below' => -2];
        $step = $this->step($study, 'compare.difference', ['before' => ['step' => $first['id']], 'after' => ['step' => $second['id']]], $settings);
        $classes = array_column($step['figures']['changes']['classes'], 'pixels', 'class');
        // rows from the 21st on, columns from the 32nd on
        self::assertSame(90, $classes['less nir']);
        self::assertSame(['difference', 'changes'], array_column($step['items'], 'output'));
        // without limits there is no map
        $plain = $this->step($study, 'compare.difference', ['before' => ['step' => $first['id']], 'after' => ['step' => $second['id']]]);
        self::assertSame(['difference'], array_column($plain['items'], 'output'));
        // and it is taken on like any other
        $sieved = $this->step($study, 'classify.sieve', ['classes' => ['step' => $step['id'], 'output' => 'changes']], ['minimum' => 20]);
        self::assertSame(90, array_column($sieved['figures']['classes']['classes'], 'pixels', 'class')['less nir']);
    }
}
