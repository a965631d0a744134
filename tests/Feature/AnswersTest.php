<?php

namespace Tests\Feature;

use Chorometra\Core\Step\Registry;
use Symfony\Component\Yaml\Yaml;
use Tests\TestCase;

/** The form in which answers come. */
class AnswersTest extends TestCase
{
    public function test_long_texts_are_packed_for_whoever_understands_it(): void
    {
        $plain = $this->getJson('/api/kinds')->assertOk()->assertHeaderMissing('Content-Encoding');
        $packed = $this->getJson('/api/kinds', ['Accept-Encoding' => 'br, gzip'])->assertOk()->assertHeader('Content-Encoding', 'gzip');
        self::assertSame($plain->getContent(), gzdecode((string) $packed->getContent()));
        self::assertLessThan(0.4 * strlen((string) $plain->getContent()), strlen((string) $packed->getContent()));
        self::assertSame((string) strlen((string) $packed->getContent()), $packed->headers->get('Content-Length'));
        self::assertStringContainsString('Accept-Encoding', (string) $packed->headers->get('Vary'));
    }

    public function test_short_texts_and_refused_packing_stay_plain(): void
    {
        $this->getJson('/api/studies', ['Accept-Encoding' => 'gzip'])->assertOk()->assertHeaderMissing('Content-Encoding');
        $this->getJson('/api/kinds', ['Accept-Encoding' => 'gzip;q=0, identity'])->assertOk()->assertHeaderMissing('Content-Encoding');
    }

    public function test_figures_come_by_type_as_the_document_says(): void
    {
        [$study, $ground] = $this->ground();
        $image = ['image' => ['step' => $ground['id']]];
        $index = $this->step($study, 'derive.index', $image, ['index' => 'ndwi']);
        $slice = $this->step($study, 'segment.slice', ['image' => ['step' => $index['id']]], ['limits' => [0, 5]]);
        $dark = $this->step($study, 'correct.dark-object', $image, ['assumed' => '1%']);
        $allowed = [];
        foreach (Yaml::parseFile(base_path('docs/openapi.yaml'))['components']['schemas']['Figure']['oneOf'] as $one) {
            $allowed[$one['properties']['type']['const']] = $one['required'];
        }
        $seen = [];
        foreach ([$ground, $index, $slice, $dark] as $step) {
            foreach ($step['report'] as $figure) {
                self::assertEqualsCanonicalizing($allowed[$figure['type']], array_keys($figure), $step['kind']);
                $seen[$figure['type']] = true;
            }
        }
        self::assertEqualsCanonicalizing(['warning', 'classes', 'bands', 'table', 'value', 'text', 'list'], array_keys($seen));
        self::assertSame(['type' => 'warning', 'text' => $slice['figures']['warning']], $slice['report'][0]);
        $table = array_values(array_filter($dark['report'], fn (array $figure): bool => $figure['type'] === 'table'))[0];
        self::assertSame(['band', 'dark', 'taken off'], array_column($table['columns'], 'label'));
        // green of the ground is 0.06 at the least: one per cent of it is the dark object's own
        self::assertSame('green', $table['rows'][0][0]);
        self::assertEqualsWithDelta(0.06, $table['rows'][0][1], 1e-6);
        self::assertEqualsWithDelta(0.05, $table['rows'][0][2], 1e-6);
    }

    public function test_every_kind_tells_shares_in_per_cent(): void
    {
        foreach (Registry::all() as $id => $kind) {
            foreach ($kind->declaration()->settings as $setting) {
                if (preg_match('/reflectance|share of|accuracy/i', $setting->help) === 1 && in_array($setting->type, ['number', 'numbers'], true)) {
                    self::assertSame('%', $setting->unit, "$id $setting->name");
                }
            }
        }
    }
}
