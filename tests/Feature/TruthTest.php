<?php

namespace Tests\Feature;

use Chorometra\Core\Format\Files;
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
        // the most that may be left, by correction and measure in the order of the table
        $most = [0.005, 0.01, 0.005, 0.15, 0.4, 450.0, 0.1, 0.7, 0.65, 0.7];
        self::assertSameSize($most, $table);
        foreach ($table as $k => $row) {
            self::assertLessThan($most[$k], $row['after'], "{$row['correction']}: {$row['measure']}");
            self::assertLessThan(0.5 * $row['before'], $row['after'], "{$row['correction']}: {$row['measure']}");
        }
    }
}
