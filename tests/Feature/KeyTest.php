<?php

namespace Tests\Feature;

use App\Models\Study;
use Chorometra\Core\Geo\Crs;
use Tests\TestCase;

/** Keys of a study: kept, looked at before they are run, run, and stale when they change; and the legend that their classes join. */
class KeyTest extends TestCase
{
    private const DOCUMENT = [
        'type' => 'key',
        'version' => 1,
        'name' => 'Bright ground',
        'classes' => [['value' => 1, 'name' => 'bright', 'colour' => '#d9c25a'], ['value' => 2, 'name' => 'dark', 'colour' => '#26456e']],
        'couplets' => [[
            'id' => 'bright', 'question' => 'is it bright?', 'measure' => 'mean(nir)', 'least' => 0.25,
            'yes' => ['class' => 'bright'], 'no' => ['class' => 'dark'],
        ]],
        'rules' => [['rule' => 'absorb', 'below' => 12], ['rule' => 'dissolve', 'off' => true]],
    ];

    /** @return array{Study, array<string, mixed>} the study, and what a key is asked of */
    private function asked(): array
    {
        [$study, $ground] = $this->ground();
        $image = ['step' => $ground['id'], 'output' => 'result'];
        $merge = $this->step($study, 'segment.merge', ['images:1' => $image], ['merge-limit' => 6]);

        return [$study, ['kind' => 'classify.key', 'inputs' => ['images:1' => $image, 'segments' => ['step' => $merge['id'], 'output' => 'segments']]]];
    }

    public function test_a_key_is_kept_run_and_stale_once_it_is_another(): void
    {
        [$study, $asked] = $this->asked();
        $key = $this->postJson("/api/studies/$study->id/keys", ['document' => self::DOCUMENT])->assertCreated()->json();
        self::assertSame(['Bright ground', 'bright'], [$key['name'], $key['document']['couplets'][0]['id']]);
        self::assertSame([['id' => $key['id'], 'name' => 'Bright ground', 'stamp' => $key['stamp']]], $this->getJson("/api/studies/$study->id")->json('keys'));
        $step = $this->step($study, 'classify.key', $asked['inputs'] + ['key' => ['key' => $key['id']]]);
        self::assertSame(['classes', 'segments', 'confidence', 'measures', 'key'], array_column($step['items'], 'output'));

        // what it made can be begun from again, with what its limits stand on
        $again = $this->postJson("/api/studies/$study->id/keys", ['from' => ['step' => $step['id'], 'output' => 'key']])->assertCreated()->json();
        self::assertSame('Bright ground 2', $again['name']);
        self::assertArrayHasKey('histogram', $again['document']['couplets'][0]);

        $state = fn (): string => array_column($this->getJson("/api/studies/$study->id")->json('steps'), 'state', 'id')[$step['id']];
        self::assertSame('done', $state());
        $other = self::DOCUMENT;
        $other['couplets'][0]['least'] = 0.3;
        $seen = $key['stamp'];
        $this->putJson("/api/keys/{$key['id']}", ['document' => $other], ['If-Match' => "\"$seen\""])->assertOk();
        $this->putJson("/api/keys/{$key['id']}", ['document' => $other], ['If-Match' => "\"$seen\""])->assertStatus(412)
            ->assertJsonPath('now.name', $key['name']);
        self::assertSame('stale', $state());
        $this->putJson("/api/keys/{$key['id']}", ['document' => self::DOCUMENT])->assertOk();
        self::assertSame('done', $state(), 'put back as it was its steps are good again');
        self::says($this->deleteJson("/api/keys/{$key['id']}"), 'uses the key');
        $this->deleteJson("/api/keys/{$again['id']}")->assertNoContent();
        self::assertSame('key', $this->get("/api/keys/{$key['id']}/file")->assertOk()->json('type'));
    }

    public function test_what_a_key_makes_is_seen_before_it_is_run(): void
    {
        [$study, $asked] = $this->asked();
        $column = fn (string $measure): array => array_values((array) unpack('e*', (string) $this->postJson(
            "/api/studies/$study->id/keys/column",
            $asked + ['measure' => $measure],
        )->assertOk()->getContent()));
        [$numbers, $pixels, $nir] = [$column('segment'), $column('pixels'), $column('mean(nir)')];
        self::assertSame(array_map(floatval(...), range(1, count($nir))), $numbers);
        self::assertEqualsWithDelta(40 * 29, array_sum($pixels), 0.0, 'one row has no value');
        self::assertSame($nir, $column('mean(nir)'), 'from the shelf it is the same');

        $look = $this->postJson("/api/studies/$study->id/keys/look", $asked + ['document' => self::DOCUMENT])->assertOk()->json();
        $codes = array_values((array) unpack('v*', base64_decode($look['codes'])));
        self::assertSame(array_map(fn (float $value): int => $value >= 0.25 ? 1 : 2, $nir), $codes);
        $bright = count(array_filter($codes, fn (int $code): bool => $code === 1));
        self::assertSame([$bright, count($codes) - $bright, 0], array_column($look['couplets'][0]['ways'], 'cases'));
        self::assertSame([0], array_column($look['rules'], 'at'), 'a rule that is off changes nothing');

        // the run is what was seen
        $key = $this->postJson("/api/studies/$study->id/keys", ['document' => self::DOCUMENT])->json('id');
        $step = $this->step($study, 'classify.key', $asked['inputs'] + ['key' => ['key' => $key]]);
        self::assertSame($look['rules'][0]['changed'], $step['figures']['tidied'][0]['changed']);
        self::assertSame($bright, $step['figures']['asked'][0]['number']);

        // two groups are told apart by what they were parted by
        $groups = [[], []];
        foreach ($codes as $i => $code) {
            $groups[$code - 1][] = (int) $numbers[$i];
        }
        $ranked = $this->postJson("/api/studies/$study->id/keys/apart", $asked + ['one' => $groups[0], 'other' => $groups[1]])->assertOk()->json();
        $found = array_column($ranked, null, 'measure')['mean(nir)'];
        self::assertEqualsWithDelta(1.0, $found['area'], 1e-12);
        self::assertGreaterThanOrEqual(max(array_filter($nir, fn (float $value): bool => $value < 0.25)), $found['limit']);
    }

    public function test_a_trial_knows_what_was_learnt_elsewhere(): void
    {
        [$study, $asked] = $this->asked();
        $earth = Crs::of(32632);
        self::assertNotNull($earth);
        $at = fn (int $col, int $row): array => $earth->inverse(431_000 + 20 * ($col + 0.5), 6_072_000 - 20 * ($row + 0.5));
        $document = self::DOCUMENT;
        // both examples lie below what is visible
        $document['couplets'][0] = ['id' => 'learns', 'yes' => ['class' => 'bright'], 'no' => ['class' => 'dark'], 'examples' => [
            'measures' => ['nir'], 'neighbours' => 1, 'given' => [['at' => $at(4, 25), 'answer' => 'yes'], ['at' => $at(36, 25), 'answer' => 'no']],
        ]];
        $key = $this->postJson("/api/studies/$study->id/keys", ['document' => $document])->assertCreated()->json('id');
        $window = ['window' => [431_000, 6_071_800, 431_800, 6_072_000]];
        foreach ([$asked['inputs'], ['images:1' => $asked['inputs']['images:1']]] as $inputs) {
            $call = ['kind' => 'classify.key', 'inputs' => $inputs + ['key' => ['key' => $key]]] + $window;
            $trial = $this->postJson("/api/studies/$study->id/trials", $call)->assertOk();
            self::assertSame([['question' => 'learns', 'yes' => 1, 'no' => 1]], $trial->json('figures.examples'));
        }
    }

    public function test_what_is_wrong_is_told_where_it_is(): void
    {
        [$study, $asked] = $this->asked();
        $keys = "/api/studies/$study->id/keys";
        $look = fn (array $change) => $this->postJson("$keys/look", $asked + ['document' => array_replace_recursive(self::DOCUMENT, $change)]);
        self::says($look(['couplets' => [['measure' => 'mean(swir9)']]]), 'there is no “swir9”', 'key/couplets/bright');
        self::says($look(['rules' => [['rule' => 'fill']]]), '“with” is missing', 'key/rules/0');
        self::says($look(['couplets' => [['yes' => ['class' => 'ice']]]]), 'which is not in the key', 'key/couplets/bright');
        self::says($look(['classes' => [['colour' => 'red']]]), 'is not a known one');
        self::says($this->postJson("/api/studies/$study->id/keys", ['document' => ['classes' => 'none']]), 'The key is broken');
        self::says($this->postJson("/api/studies/$study->id/keys/column", $asked + ['measure' => 'nir +']), 'formula', 'formulas');
        self::says($this->postJson("$keys/column", ['kind' => 'derive.index'] + $asked + ['measure' => 'nir']), 'uses no key', 'kind');
    }

    public function test_a_class_has_the_colour_of_the_study_in_maps_and_in_what_is_made_of_them(): void
    {
        [$study, $asked] = $this->asked();
        $key = $this->postJson("/api/studies/$study->id/keys", ['document' => self::DOCUMENT])->json('id');
        $step = $this->step($study, 'classify.key', $asked['inputs'] + ['key' => ['key' => $key]]);
        $legend = fn (): array => $this->getJson("/api/studies/$study->id")->json('legend');
        self::assertSame([['name' => 'bright', 'colour' => '#d9c25a'], ['name' => 'dark', 'colour' => '#26456e']], $legend());
        $classes = [['name' => 'dark', 'colour' => '#112233'], ['name' => 'bright', 'colour' => '#d9c25a']];
        $this->putJson("/api/studies/$study->id/legend", ['classes' => $classes])->assertOk();
        self::assertSame(['dark', 'bright'], array_column($legend(), 'name'));
        $shown = array_column($this->getJson("/api/studies/$study->id")->json('steps'), null, 'id')[$step['id']]['items'][0]['raster']['legend'];
        self::assertSame('#112233', array_column($shown, 'colour', 'name')['dark']);
        $smooth = $this->step($study, 'classify.smooth', ['classes' => ['step' => $step['id'], 'output' => 'classes']]);
        $sidecar = $this->get('/api/items/'.self::itemOf($smooth, 'classes').'/sidecar')->assertOk()->getFile();
        $made = json_decode((string) file_get_contents((string) $sidecar), true);
        self::assertSame('112233', array_column($made['assets']['data']['classification:classes'], 'color_hint', 'title')['dark']);
        self::assertSame('#112233', $legend()[0]['colour'], 'a step does not change the legend');
        self::says($this->putJson("/api/studies/$study->id/legend", ['classes' => [['name' => 'dark', 'colour' => 'blue']]]), 'colour');
    }
}
