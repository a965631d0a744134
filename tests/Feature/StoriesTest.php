<?php

namespace Tests\Feature;

use Chorometra\Core\Work\Files;
use PHPUnit\Framework\TestCase;

/** The examples of the command line do on the demo what they promise, against its truth. */
class StoriesTest extends TestCase
{
    private string $folder;

    protected function setUp(): void
    {
        $this->folder = sys_get_temp_dir().'/chorometra-test-'.bin2hex(random_bytes(6));
        Files::folder($this->folder);
    }

    protected function tearDown(): void
    {
        Files::remove($this->folder);
    }

    public function test_water_vegetation_and_the_rest(): void
    {
        $scores = $this->scores('water-and-vegetation');
        self::assertGreaterThanOrEqual(0.985, $scores['cover']['accuracy']);
        self::assertGreaterThanOrEqual($scores['cover-of-pixels']['accuracy'] - 0.005, $scores['cover']['accuracy']);
    }

    public function test_vegetation_lost_where_the_sea_wall_was_opened(): void
    {
        $scores = $this->scores('loss')['loss'];
        self::assertGreaterThanOrEqual(5000, $scores['truth']);
        self::assertGreaterThanOrEqual(0.9, $scores['iou']);
        self::assertLessThanOrEqual(0.5, $scores['border']);
        self::assertSame(1.0, $scores['patches'], 'one outline');
    }

    public function test_what_the_sea_took_found_in_three_ways(): void
    {
        $scores = $this->scores('change');
        self::assertGreaterThanOrEqual(0.97, $scores['difference']['iou']);
        self::assertGreaterThanOrEqual(0.97, $scores['vector']['iou']);
        self::assertGreaterThanOrEqual(0.93, $scores['mad']['iou']);
    }

    public function test_water_and_wood_by_examples_kept_for_the_other_date(): void
    {
        foreach ($this->scores('wood') as $map => $score) {
            self::assertGreaterThanOrEqual(0.95, $score['accuracy'], $map);
        }
    }

    public function test_eight_classes_from_forty_areas(): void
    {
        $scores = $this->scores('classes');
        self::assertGreaterThanOrEqual(0.95, $scores['classes-2031']['accuracy']);
        // another day, another season: not taught on it
        self::assertGreaterThanOrEqual(0.7, $scores['classes-2033']['accuracy']);
        self::assertCount(8, $scores['by-class']);
        foreach ($scores['by-class'] as $class => $share) {
            self::assertGreaterThanOrEqual(0.8, $share, $class);
        }
    }

    /** @return array<string, array<string, float>> by what an example prints */
    private function scores(string $example): array
    {
        exec(escapeshellarg(dirname(__DIR__, 2)."/examples/$example.sh").' '.escapeshellarg($this->folder).' 2>&1', $lines, $status);
        self::assertSame(0, $status, implode("\n", $lines));
        $scores = [];
        foreach ($lines as $line) {
            if (preg_match('/^([\w-]+) (\{.*\})$/', $line, $found) === 1) {
                $scores[$found[1]] = array_map(floatval(...), (array) json_decode($found[2], true));
            }
        }
        self::assertNotSame([], $scores, implode("\n", $lines));

        return $scores;
    }
}
