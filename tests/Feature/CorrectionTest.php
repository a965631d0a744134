<?php

namespace Tests\Feature;

use App\Models\Study;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SlopeLight;
use Tests\TestCase;

/** The evidence that corrections are judged by: before and after, values over light, tie points. */
class CorrectionTest extends TestCase
{
    /** @return array<string, mixed> the step */
    private function take(Study $study, string $path, string $roles): array
    {
        $told = $this->upload($study, $path)->json();

        return $this->step($study, 'gather.image', ['image' => ['upload' => $told['upload']]], ['roles' => explode(',', $roles)]);
    }

    public function test_before_and_after_and_values_over_light(): void
    {
        $study = $this->study();
        [$width, $height] = [120, 90];
        $heights = [];
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $heights[] = 200 + 90 * sin($x / 9) * cos($y / 7);
            }
        }
        // brighter by the cosine of incidence, with some grain
        [$light] = SlopeLight::over($heights, new RowBlock($width, $height), self::grid($width, $height), 40.0, 135.0);
        $values = array_map(fn (float $cos, int $i): float => 0.05 + 0.2 * max(0.0, $cos) + $i * 31 % 7 / 900, $light, array_keys($light));
        $image = $this->take($study, $this->image('i.tif', $width, $height, ['red' => $values]), 'red');
        $elevation = $this->take($study, $this->image('dem.tif', $width, $height, ['red' => $heights]), '-');
        $step = $this->step(
            $study,
            'correct.terrain',
            ['image' => ['step' => $image['id']], 'elevation' => ['step' => $elevation['id']]],
            ['sun-elevation' => 40, 'sun-azimuth' => 135],
        );
        $light = $this->getJson("/api/steps/{$step['id']}/light?band=1")
            ->assertOk()
            ->json();
        self::assertGreaterThan(500, count($light['light']));
        self::assertSame(count($light['light']), count($light['after']['values']));
        self::assertGreaterThan(0.9, $light['before']['correlation']);
        self::assertLessThan(0.5 * $light['before']['slope'], abs($light['after']['slope']));
        $this->getJson("/api/steps/{$step['id']}/light?band=2")->assertStatus(422);
        $this->getJson("/api/steps/{$image['id']}/light")->assertStatus(422);

        [$before, $after] = [$image['items'][0]['id'], $step['items'][0]['id']];
        $compared = $this->getJson("/api/items/$before/compare/$after")->assertOk()->json(0);
        self::assertSame(['red', 1, 1], [$compared['band'], $compared['number'], $compared['other']]);
        self::assertSame($width * $height, $compared['pixels'] + $compared['lost']);
        self::assertGreaterThan(0.9, $compared['changed']);
        self::assertLessThan($compared['before']['deviation'], $compared['after']['deviation']);
        self::assertEqualsWithDelta(0, $this->getJson("/api/items/$before/compare/$before")->json('0.changed'), 0);
        // not across studies
        $other = $this->take($this->study(), $this->image('o.tif', 4, 4, ['red' => range(1, 16)]), 'red');
        $this->getJson("/api/items/$before/compare/{$other['items'][0]['id']}")->assertStatus(404);
    }

    public function test_radar_goes_from_samples_to_decibels_and_through_a_filter(): void
    {
        $study = $this->study();
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(5));
        // single looks of ground at -10 dB
        $power = array_map(fn (): float => -0.1 * log($random->getInt(1, 999_999) / 1e6), range(1, 120 * 80));
        $image = $this->take($study, $this->image('r.tif', 120, 80, ['vv' => $power]), 'vv');
        $decibels = $this->step($study, 'correct.backscatter', ['image' => ['step' => $image['id']]], ['columns' => 2, 'rows' => 2]);
        self::assertSame(['vv', 'dB'], [$decibels['items'][0]['raster']['bands'][0]['label'], $decibels['items'][0]['raster']['bands'][0]['unit']]);
        // a pixel of the map is four of the sensor's
        self::assertEqualsWithDelta(0.16, $decibels['items'][0]['raster']['own']['hectares'], 1e-9);
        $filtered = $this->step($study, 'correct.speckle', ['image' => ['step' => $decibels['id']]], ['looks' => 4, 'size' => 9]);
        self::assertEquals(4, $filtered['figures']['looks-taken']);
        $compared = $this->getJson("/api/items/{$decibels['items'][0]['id']}/compare/{$filtered['items'][0]['id']}")->assertOk()->json(0);
        // averages of power: the bias of decibels of few looks, 0.565 dB for four, goes with the grain (psi(4) = 1.256118)
        self::assertEqualsWithDelta(-10 + 10 / M_LN10 * (1.256118 - log(4)), $compared['before']['mean'], 0.15);
        self::assertEqualsWithDelta(-10, $compared['after']['mean'], 0.15);
        self::assertLessThan(0.4 * $compared['before']['deviation'], $compared['after']['deviation']);
    }

    public function test_two_dates_where_nothing_changed(): void
    {
        $study = $this->study();
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(3));
        $ground = $later = $hazy = [];
        for ($i = 0; $i < 80 * 60; $i++) {
            $ground[] = 0.04 + $random->getInt(0, 1000) / 5000;
            // a tenth is ploughed; the later day is hazy, and both have a little noise
            $later[] = $ground[$i] + ($i % 10 === 0 ? 0.3 : 0.0) + $random->getInt(-100, 100) / 1e5;
            $hazy[] = $later[$i] + 0.05;
        }
        $items = [];
        foreach (['ground' => $ground, 'hazy' => $hazy, 'later' => $later] as $name => $values) {
            $items[$name] = $this->take($study, $this->image("$name.tif", 80, 60, ['red' => $values]), 'red')['items'][0]['id'];
        }
        $apart = $this->getJson("/api/items/{$items['hazy']}/compare/{$items['later']}/dates?before={$items['ground']}&after={$items['ground']}")
            ->assertOk()
            ->json(0);
        self::assertSame('red', $apart['band']);
        self::assertEqualsWithDelta(0.05, $apart['before']['mean'], 2e-4);
        self::assertEqualsWithDelta(0.05, $apart['before']['rms'], 2e-4);
        self::assertLessThan(0.001, $apart['after']['rms']);
        // values spread evenly over 0.2 deviate by 0.2 / √12
        self::assertEqualsWithDelta(0.05 / (0.2 / sqrt(12)), $apart['before']['relative'], 0.03);
        // what was ploughed is left out
        self::assertGreaterThan(0.5, $apart['share']);
        self::assertLessThanOrEqual(0.9, $apart['share']);
        $this->getJson("/api/items/{$items['hazy']}/compare/{$items['later']}/dates?before={$items['ground']}")->assertStatus(422);
    }

    public function test_tie_points_are_struck_out_and_the_fit_follows(): void
    {
        $study = $this->study();
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(5));
        $ground = [];
        for ($i = 0; $i < 260 * 220; $i++) {
            $ground[] = $random->getInt(0, 1000);
        }
        // smoothed a little, so that it has a grain of some pixels
        $smooth = fn (int $x, int $y): float => ($ground[$y * 260 + $x] +
            $ground[$y * 260 + $x + 1] +
            $ground[($y + 1) * 260 + $x] +
            $ground[($y + 1) * 260 + $x + 1] +
            $ground[($y + 2) * 260 + $x] +
            $ground[$y * 260 + $x + 2]) /
            6;
        $seen = function (int $dx, int $dy) use ($smooth): array {
            $out = [];
            for ($y = 0; $y < 200; $y++) {
                for ($x = 0; $x < 240; $x++) {
                    $out[] = $smooth($x + 8 + $dx, $y + 8 + $dy);
                }
            }

            return $out;
        };
        $reference = $this->take($study, $this->image('r.tif', 240, 200, ['red' => $seen(0, 0)]), 'red');
        $moving = $this->take($study, $this->image('m.tif', 240, 200, ['red' => $seen(3, -2)]), 'red');
        $step = $this->step(
            $study,
            'correct.coregister',
            ['moving' => ['step' => $moving['id']], 'reference' => ['step' => $reference['id']]],
            ['points' => 40, 'transform' => 'shift'],
        );
        self::assertEqualsWithDelta(-3.0, $step['figures']['shift']['columns'], 0.03);
        self::assertEqualsWithDelta(2.0, $step['figures']['shift']['rows'], 0.03);
        $same = $this->postJson("/api/steps/{$step['id']}/fit", ['strike' => []])->assertOk()->json();
        // the figures told them to four digits
        self::assertEqualsWithDelta($step['figures']['rmse'], $same['rmse'], 1e-3);
        self::assertSame($step['figures']['used'], $same['used']);
        $first = collect($step['figures']['tie-points'])->firstWhere('state', 'used')['number'];
        $struck = $this->postJson("/api/steps/{$step['id']}/fit", ['strike' => [$first], 'transform' => 'affine'])
            ->assertOk()
            ->json();
        self::assertSame(
            [1, 'struck', 'affine'],
            [$struck['struck'], collect($struck['tie-points'])->firstWhere('number', $first)['state'], $struck['transform']],
        );
        $this->postJson("/api/steps/{$step['id']}/fit", ['strike' => range(1, 40)])->assertStatus(422);
        $this->postJson("/api/steps/{$reference['id']}/fit", ['strike' => []])->assertStatus(422);
    }
}
