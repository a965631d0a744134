<?php

namespace Tests\Feature;

use Chorometra\Core\Work\Files;
use Chorometra\Demo\Score;
use Chorometra\Demo\Simulator;
use PHPUnit\Framework\TestCase;

/** Corrections of the made-up scenes come nearer to their truth, by as much as they promise. */
class TruthTest extends TestCase
{
    private string $folder;

    protected function setUp(): void
    {
        ini_set('memory_limit', '3G');
        $this->folder = sys_get_temp_dir().'/chorometra-test-'.bin2hex(random_bytes(6));
        Files::folder("$this->folder/work");
    }

    protected function tearDown(): void
    {
        Files::remove($this->folder);
    }

    public function test_each_correction_against_the_truth(): void
    {
        Simulator::make("$this->folder/demo");
        $table = (new Score("$this->folder/demo", "$this->folder/work"))->table();
        // the most that may be left, by correction, in the order of the table
        $most = [
            'dark object' => [0.005, 0.015, 0.005],
            'surface reflectance' => [0.1, 0.1, 0.1, 0.1, 0.1, 0.1],
            'haze' => [0.008],
            'mask by reflectance' => [0.03],
            'light on slopes' => [0.15, 0.4],
            'bad lines' => [450.0],
            'two dates' => [0.1],
            'gaps' => [0.03],
            'speckle, boxcar' => [0.7],
            'speckle, lee' => [0.65],
            'speckle, refined-lee' => [0.7],
            'onto the map' => [0.05],
            'sharper picture' => [0.0015, 0.0015, 0.0015],
        ];
        self::assertSame(array_keys($most), array_values(array_unique(array_column($table, 'correction'))));
        foreach ($table as $row) {
            $what = "{$row['correction']}: {$row['measure']}";
            self::assertLessThan(array_shift($most[$row['correction']]) ?? -INF, $row['after'], $what);
            // what was near the truth before can't come much nearer
            self::assertLessThanOrEqual(max(0.75 * $row['before'], 0.002), $row['after'], $what);
        }
        self::assertSame([], array_merge(...array_values($most)));
    }
}
