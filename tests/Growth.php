<?php

namespace Tests;

/**
 * What a server that answers for days takes: many requests of a usual mix, three clients at once, and after each tenth of them the
 * memory of all its processes, its files and their bytes. Called by bin/torment growth.
 */
final class Growth
{
    use StartsApplication;

    private const CLIENTS = 3;

    /**
     * @param  \Closure(string): void  $say
     * @return list<array{requests: int, megabytes: float, files: int, kilobytes: int}> before anything was asked, and after each tenth
     *
     * @throws \RuntimeException where an answer is an error
     */
    public function run(int $requests, \Closure $say): array
    {
        $this->prepare();
        mkdir("$this->folder/tmp");
        $server = $this->start(['CHOROMETRA_GROWTH' => $this->folder, 'TMPDIR' => "$this->folder/tmp"]);
        try {
            $this->until(fn (): bool => ($this->get('studies/1')['steps'][0]['state'] ?? '') === 'done');
            foreach ([[436_000, 6_065_000], [437_000, 6_066_000], [438_000, 6_067_000]] as [$x, $y]) {
                $this->send('POST', 'api/studies/1/pegs', ['x' => $x, 'y' => $y]);
            }
            $rows = [];
            for ($tenth = 0; $tenth <= 10; $tenth++) {
                // the first tenth warms up what every process keeps
                $this->ask(intdiv($requests * $tenth, 10) - intdiv($requests * max(0, $tenth - 1), 10));
                $rows[] = $row = ['requests' => intdiv($requests * $tenth, 10)] + $this->taken();
                $say(sprintf('%7d requests: %6.1f MB of memory, %5d files, %7d kB', ...array_values($row)));
            }

            return $rows;
        } finally {
            $server->stop(30, SIGTERM);
            $this->clear();
        }
    }

    private function ask(int $requests): void
    {
        $multi = curl_multi_init();
        for ($sent = $done = 0; $done < $requests;) {
            for (; $sent < $requests && $sent - $done < self::CLIENTS; $sent++) {
                curl_multi_add_handle($multi, $this->request($sent));
            }
            curl_multi_exec($multi, $running);
            curl_multi_select($multi, 0.2);
            while ($answer = curl_multi_info_read($multi)) {
                $status = curl_getinfo($answer['handle'], CURLINFO_RESPONSE_CODE);
                if (! in_array($status, [200, 204, 302, 503], true)) {
                    $address = curl_getinfo($answer['handle'], CURLINFO_EFFECTIVE_URL);
                    throw new \RuntimeException("$status: $address ".curl_multi_getcontent($answer['handle']));
                }
                curl_multi_remove_handle($multi, $answer['handle']);
                $done++;
            }
        }
    }

    /** Five in ten are asked at pegs, with a formula of their own each. */
    private function request(int $number): \CurlHandle
    {
        $own = "http://127.0.0.1:$this->port";
        $path = match ($number % 10) {
            5 => '/login',
            6 => '/api/studies/1/news?since=0',
            7 => '/api/items/1/histogram?band=1',
            8, 9 => '/api/items/1/tiles/'.($number % 2).'/0/0?bands=4,3,2&packed=yes',
            default => '/api/studies/1/at-pegs',
        };
        $handle = curl_init($own.$path);
        curl_setopt($handle, CURLOPT_RETURNTRANSFER, true);
        if ($number % 10 < 5) {
            curl_setopt_array($handle, [
                CURLOPT_HTTPHEADER => ['Content-Type: application/json', 'Accept: application/json', "Origin: $own", 'X-Page: growth-'.$number % 500],
                CURLOPT_POSTFIELDS => (string) json_encode([
                    'kind' => 'derive.formula',
                    'inputs' => ['images:1' => ['step' => 1, 'output' => 'multispectral']],
                    'settings' => ['formula' => 'nir * '.($number % 3000 + 1).' - red'],
                ]),
            ]);
        }

        return $handle;
    }

    /** @return array{megabytes: float, files: int, kilobytes: int} */
    private function taken(): array
    {
        $kilobytes = 0;
        foreach (self::of("CHOROMETRA_GROWTH=$this->folder") as $process) {
            preg_match('/RssAnon:\s+(\d+)/', (string) @file_get_contents("/proc/$process/status"), $found);
            $kilobytes += (int) ($found[1] ?? 0);
        }
        $sizes = [];
        foreach (new \RecursiveIteratorIterator(new \RecursiveDirectoryIterator($this->folder, \FilesystemIterator::SKIP_DOTS)) as $file) {
            $sizes[] = (int) @filesize((string) $file);
        }

        return ['megabytes' => $kilobytes / 1024, 'files' => count($sizes), 'kilobytes' => intdiv((int) array_sum($sizes), 1024)];
    }

    private static function assertTrue(bool $isSo): void
    {
        $isSo || throw new \RuntimeException('The application did not come up.');
    }
}
