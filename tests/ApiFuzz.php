<?php

namespace Tests;

use Random\Engine\Mt19937;
use Random\Randomizer;
use Symfony\Component\Yaml\Yaml;

/**
 * Odd requests to the routes of the OpenAPI document, three clients at once: none may end in 500, and the server must go on answering.
 * Called by bin/fuzz api.
 */
final class ApiFuzz
{
    use StartsApplication;

    private const CLIENTS = 3;

    /** What stands in a place where something else was expected. */
    private const ODD = ['', ' ', '0', '-1', 'x', "x'\"<b>", 'ä', '../..', '1e999', '999999999999999999999', 'null', "a\u{0}b", '2031-05-12', '#ffffff'];

    private Randomizer $random;

    /** @var list<array{method: string, path: string, body: array<string, mixed>|null}> */
    private array $routes = [];

    public function __construct(private readonly int $seed)
    {
        $this->random = new Randomizer(new Mt19937($seed));
        $document = Yaml::parseFile(dirname(__DIR__).'/docs/openapi.yaml');
        foreach ($document['paths'] as $path => $methods) {
            foreach (array_intersect_key($methods, array_flip(['get', 'post', 'put', 'patch', 'delete'])) as $method => $told) {
                $query = array_column(array_filter($told['parameters'] ?? [], fn (array $one): bool => ($one['in'] ?? '') === 'query'), 'name');
                $schema = array_values($told['requestBody']['content'] ?? [])[0]['schema'] ?? null;
                $this->routes[] = [
                    'method' => strtoupper($method),
                    'path' => $path.($query === [] ? '' : '?'.implode('&', array_map(fn (string $name): string => "$name={{$name}}", $query))),
                    'body' => $schema === null ? null : (array) $this->example($schema, $document, 0),
                ];
            }
        }
    }

    /**
     * @param  \Closure(int): bool  $more  whether another case is wanted, by the number of those done
     * @return array{cases: int, failures: list<string>}
     */
    public function run(\Closure $more): array
    {
        $this->prepare();
        $server = $this->start();
        $failures = [];
        $done = $sent = 0;
        try {
            $this->until(fn (): bool => ($this->get('studies/1')['steps'][0]['state'] ?? '') === 'done');
            $multi = curl_multi_init();
            $asked = [];
            $next = function () use ($multi, &$asked, &$sent): void {
                $sent++;
                $request = $this->request();
                $handle = $this->handle(...$request);
                $asked[(int) $handle] = $request;
                curl_multi_add_handle($multi, $handle);
            };
            for ($i = 0; $i < self::CLIENTS; $i++) {
                $next();
            }
            while ($sent > $done) {
                curl_multi_exec($multi, $running);
                curl_multi_select($multi, 0.2);
                while ($answer = curl_multi_info_read($multi)) {
                    $handle = $answer['handle'];
                    $status = curl_getinfo($handle, CURLINFO_RESPONSE_CODE);
                    if ($status >= 500 && $status !== 503 && $status !== 507 || $status === 0) {
                        [$method, $path, $body] = $asked[(int) $handle];
                        $failures[] = "$status: $method $path ".substr($body, 0, 400);
                    }
                    curl_multi_remove_handle($multi, $handle);
                    unset($asked[(int) $handle]);
                    $done++;
                    if ($more($sent)) {
                        $next();
                    }
                }
            }
            if ($this->get('studies') === null) {
                $failures[] = 'The server does not answer any more.';
            }
        } finally {
            $server->stop(30, SIGTERM);
            $this->clear();
        }

        return ['cases' => $done, 'failures' => $failures];
    }

    /** @return array{string, string, string} method, path, body */
    private function request(): array
    {
        ['method' => $method, 'path' => $path, 'body' => $body] = $this->routes[$this->random->getInt(0, count($this->routes) - 1)];
        $path = (string) preg_replace_callback('/\{([a-zA-Z]+)\}/', fn (array $match): string => $this->place($match[1]), $path);
        if ($body === null) {
            return [$method, $path, ''];
        }
        for ($i = $this->random->getInt(0, 3); $i > 0; $i--) {
            $body = $this->spoilt($body);
        }
        $text = (string) json_encode($body === [] ? (object) [] : $body, JSON_INVALID_UTF8_SUBSTITUTE | JSON_PARTIAL_OUTPUT_ON_ERROR);

        return [$method, $path, match ($this->random->getInt(0, 19)) {
            0 => substr($text, 0, intdiv(strlen($text), 2)),
            1 => str_replace('1', '1e999', $text),
            2 => str_replace('a', "\xE4", $text),
            default => $text,
        }];
    }

    private static function assertTrue(bool $isSo): void
    {
        $isSo || throw new \RuntimeException('The application did not come up.');
    }

    private function place(string $name): string
    {
        $usual = match ($name) {
            'study', 'item', 'step', 'other', 'drawing', 'key', 'peg', 'before', 'after', 'band' => (string) $this->random->getInt(1, 6),
            'z', 'x', 'y' => (string) $this->random->getInt(0, 3),
            'bands' => '1,2,3',
            'box' => '430000,6060000,440000,6070000',
            'points' => '435000,6066000',
            'since' => '1',
            default => '1',
        };

        return $this->random->getInt(0, 4) > 0 ? $usual : rawurlencode(self::ODD[$this->random->getInt(0, count(self::ODD) - 1)]);
    }

    /**
     * What a schema describes, with values that make sense.
     *
     * @param  array<string, mixed>  $schema
     * @param  array<string, mixed>  $document
     */
    private function example(array $schema, array $document, int $depth): mixed
    {
        if (isset($schema['$ref'])) {
            return $depth > 6 ? null : $this->example($document['components']['schemas'][basename($schema['$ref'])], $document, $depth + 1);
        }
        if (isset($schema['enum'])) {
            return $schema['enum'][0];
        }
        if (isset($schema['oneOf'])) {
            return $this->example($schema['oneOf'][0], $document, $depth + 1);
        }
        $example = [];
        foreach ($schema['properties'] ?? [] as $name => $own) {
            $example[$name] = match ($name) {
                'kind' => ['derive.index', 'segment.slice', 'derive.formula', 'correct.surface', 'classify.key', 'classify.teach'][$this->random->getInt(0, 5)],
                'inputs' => ['image' => ['step' => 1, 'output' => 'multispectral'], 'images:1' => ['step' => 1, 'output' => 'multispectral']],
                'settings' => ['index' => 'ndvi', 'limits' => [0.2], 'formula' => 'made = nir - red'],
                'run' => false,
                'geometry' => ['type' => 'Polygon', 'coordinates' => [[[435000, 6066000], [435100, 6066000], [435100, 6066100], [435000, 6066000]]]],
                'place', 'window', 'bounds' => $name === 'place' ? [435000, 6066000] : [435000, 6066000, 436000, 6067000],
                default => $this->example($own, $document, $depth + 1),
            };
        }

        return $example !== [] ? $example : match (((array) ($schema['type'] ?? 'string'))[0]) {
            'integer', 'number' => 1,
            'boolean' => true,
            'array' => [$this->example($schema['items'] ?? [], $document, $depth + 1)],
            'object' => [],
            'null' => null,
            default => 'a',
        };
    }

    /**
     * One value somewhere in it is another, gone, or there twice.
     *
     * @param  array<mixed>  $body
     * @return array<mixed>
     */
    private function spoilt(array $body): array
    {
        if ($body === []) {
            return [self::ODD[$this->random->getInt(0, count(self::ODD) - 1)] => 1];
        }
        $name = array_rand($body);
        $value = $body[$name];
        if (is_array($value) && $this->random->getInt(0, 2) > 0) {
            $body[$name] = $this->spoilt($value);

            return $body;
        }
        $odd = [null, true, -1, 0, 4, 1.5, 1e300, [], [[]], ['x' => []], str_repeat('x', 5000), self::ODD[$this->random->getInt(0, count(self::ODD) - 1)]];
        match ($this->random->getInt(0, 5)) {
            0 => $body = array_diff_key($body, [$name => true]),
            1 => $body[] = $value,
            default => $body[$name] = $odd[$this->random->getInt(0, count($odd) - 1)],
        };

        return $body;
    }

    private function handle(string $method, string $path, string $body): \CurlHandle
    {
        $own = "http://127.0.0.1:$this->port";
        $handle = curl_init("$own/api$path");
        curl_setopt_array($handle, [
            CURLOPT_CUSTOMREQUEST => $method,
            CURLOPT_RETURNTRANSFER => true,
            CURLOPT_TIMEOUT => 60,
            CURLOPT_HTTPHEADER => ['Content-Type: application/json', 'Accept: application/json', "Origin: $own"],
        ]);
        $body === '' || curl_setopt($handle, CURLOPT_POSTFIELDS, $body);

        return $handle;
    }
}
