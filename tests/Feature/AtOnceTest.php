<?php

namespace Tests\Feature;

use PHPUnit\Framework\TestCase;
use Tests\StartsApplication;

/** Several people at once, with the real server of several processes: nothing is lost, nothing is there twice. */
class AtOnceTest extends TestCase
{
    use StartsApplication;

    protected function setUp(): void
    {
        $this->prepare();
    }

    protected function tearDown(): void
    {
        $this->clear();
    }

    /**
     * All requests together, some twenty at a time.
     *
     * @param  list<array{string, string, array<string, mixed>}>  $requests  method, path, body
     * @return list<array{int, mixed}> status and body of each
     */
    private function together(array $requests): array
    {
        $own = "http://127.0.0.1:$this->port";
        $handles = array_map(function (array $request) use ($own): \CurlHandle {
            $handle = curl_init("$own/api/$request[1]");
            curl_setopt_array($handle, [
                CURLOPT_CUSTOMREQUEST => $request[0],
                CURLOPT_RETURNTRANSFER => true,
                CURLOPT_HTTPHEADER => ['Content-Type: application/json', 'Accept: application/json', "Origin: $own"],
                CURLOPT_POSTFIELDS => (string) json_encode($request[2]),
            ]);

            return $handle;
        }, $requests);
        $all = curl_multi_init();
        curl_multi_setopt($all, CURLMOPT_MAX_TOTAL_CONNECTIONS, 20);
        array_map(fn (\CurlHandle $handle): int => curl_multi_add_handle($all, $handle), $handles);
        do {
            curl_multi_exec($all, $running);
            curl_multi_select($all, 1.0);
        } while ($running > 0);

        return array_map(fn (\CurlHandle $handle): array => [
            curl_getinfo($handle, CURLINFO_HTTP_CODE), json_decode((string) curl_multi_getcontent($handle), true),
        ], $handles);
    }

    public function test_nothing_is_lost_and_nothing_is_there_twice(): void
    {
        $server = $this->start();
        try {
            $study = $this->send('POST', 'api/studies', ['name' => 'Together'])['id'];
            $this->labels($study);
            $pegs = $this->together(array_fill(0, 20, ['POST', "studies/$study/pegs", ['x' => 1.0, 'y' => 2.0]]));
            self::assertSame([201], array_values(array_unique(array_column($pegs, 0))));
            self::assertCount(20, array_unique(array_column(array_column($pegs, 1), 'letter')));
            $names = array_column($this->together(array_fill(0, 12, ['POST', "studies/$study/drawings", ['name' => 'fields']])), 0);
            sort($names);
            self::assertSame([201, ...array_fill(0, 11, 422)], $names);
            $steps = $this->together(array_fill(0, 24, ['POST', "studies/$study/steps", [
                'kind' => 'gather.order', 'inputs' => [], 'settings' => ['archive' => 'standin', 'collection' => 'none', 'scene' => 'none'], 'run' => false,
            ]]));
            self::assertSame([201], array_values(array_unique(array_column($steps, 0))), (string) json_encode($steps[0]));
            self::assertCount(24, array_unique(array_column(array_column($steps, 1), 'number')));
        } finally {
            $server->stop(30, SIGTERM);
        }
    }

    /** Ten people label the same forty points. */
    private function labels(int $study): void
    {
        $database = new \PDO("sqlite:$this->folder/db.sqlite", null, null, [\PDO::ATTR_ERRMODE => \PDO::ERRMODE_EXCEPTION, \PDO::ATTR_TIMEOUT => 30]);
        $database->exec("INSERT INTO steps (study_id, number, kind, inputs, settings, state) VALUES ($study, 900, 'assess.draw', '{}', '{}', 'done')");
        $step = (int) $database->lastInsertId();
        $database->exec("INSERT INTO drawings (study_id, step_id, name) VALUES ($study, $step, 'check points')");
        $drawing = (int) $database->lastInsertId();
        $keys = [];
        for ($k = 1; $k <= 40; $k++) {
            $keys[] = $key = sprintf('00000000-0000-4000-8000-%012d', $k);
            $place = json_encode(['type' => 'Point', 'coordinates' => [7 + $k / 100, 54.2]]);
            $database->exec("INSERT INTO marks (drawing_id, key, number, geometry) VALUES ($drawing, '$key', $k, '$place')");
        }
        unset($database);
        $requests = [];
        foreach ($keys as $k => $key) {
            foreach (range(0, 9) as $person) {
                $requests[] = ['PATCH', "marks/$key", ['person' => "Person $person", 'class' => $person < 6 ? "marsh $k" : 'water']];
            }
        }
        self::assertSame([200], array_values(array_unique(array_column($this->together($requests), 0))));
        $agreement = $this->get("drawings/$drawing/agreement");
        self::assertCount(10, $agreement['people']);
        self::assertSame([40], array_values(array_unique(array_column($agreement['people'], 'labelled'))));
        $marks = $this->get("drawings/$drawing")['marks'];
        self::assertSame(array_map(fn (int $k): string => "marsh $k", range(0, 39)), array_column($marks, 'class'), 'what most people said counts');
    }
}
