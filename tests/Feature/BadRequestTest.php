<?php

namespace Tests\Feature;

use PHPUnit\Framework\Attributes\DataProvider;
use Tests\TestCase;

/** Requests that no page sends: each gets a sentence, none breaks the server. */
class BadRequestTest extends TestCase
{
    /** @return array<string, array{string, string, mixed}> method, path, body; S stands for a study */
    public static function requests(): array
    {
        $step = fn (array $more): array => $more + ['kind' => 'derive.index', 'inputs' => ['image' => ['step' => 1]], 'settings' => []];
        $paths = ['steps', 'at-pegs', 'against', 'training', 'keys/look', 'keys/column', 'trials'];
        $found = [
            'a number beyond all' => ['POST', 'studies/S/steps', '{"kind":"derive.filter","inputs":{"image":{"step":1}},"settings":{"sigma":1e999}}'],
            'another in a peg' => ['POST', 'studies/S/pegs', '{"x":1e999,"y":-1e999}'],
            'a list for a name' => ['POST', 'studies', ['name' => ['x']]],
            'a key of an odd file' => ['POST', 'studies/S/keys', ['from' => ['step' => 1, 'output' => ['x']]]],
            'an area of an odd file' => ['PUT', 'studies/S/area', ['file' => ['step' => 1, 'output' => ['x']]]],
            'labels of no text' => ['POST', 'drawings/1/labels', ['upload' => ['x']]],
            'a mark without places' => ['PUT', 'drawings/1/marks/00000000-0000-4000-8000-000000000001', [
                'geometry' => ['type' => 'Point', 'coordinates' => []],
            ]],
            'a mark of text' => ['PUT', 'drawings/1/marks/00000000-0000-4000-8000-000000000001', ['geometry' => ['type' => 'Polygon', 'coordinates' => 'x']]],
        ];
        foreach ($paths as $path) {
            $found["$path, an input that is a number"] = ['POST', "studies/S/$path", $step(['inputs' => ['image' => 4], 'measure' => 'x', 'document' => []])];
            $found["$path, an output that is a list"] = ['POST', "studies/S/$path", $step([
                'inputs' => ['image' => ['step' => 1, 'output' => []]], 'measure' => 'x', 'document' => ['type' => 'key'], 'window' => [0, 0, 1, 1],
            ])];
        }

        return $found;
    }

    #[DataProvider('requests')]
    public function test_each_gets_a_sentence(string $method, string $path, mixed $body): void
    {
        $study = $this->study();
        $study->drawings()->create(['name' => 'fields']);
        $text = is_string($body) ? $body : (string) json_encode($body);
        $answer = $this->call($method, '/api/'.str_replace('S', (string) $study->id, $path), server: $this->transformHeadersToServerVars([
            'Origin' => config()->string('app.url'), 'Content-Type' => 'application/json', 'Accept' => 'application/json',
        ]), content: $text);
        self::assertContains($answer->getStatusCode(), [404, 422], (string) $answer->getContent());
        self::assertNotSame('', (string) $answer->json('title'));
    }

    public function test_a_page_that_is_asked_for_with_bytes_that_are_no_text(): void
    {
        self::assertSame(422, $this->call('GET', '/?x=%ff')->getStatusCode());
    }

    public function test_a_step_whose_study_is_deleted_meanwhile_is_told_so(): void
    {
        $study = $this->study();
        \App\Models\Step::creating(fn () => $study->newQuery()->whereKey($study->id)->delete());
        $body = ['kind' => 'gather.order', 'inputs' => ['x' => []], 'settings' => ['archive' => 'standin', 'collection' => 'none', 'scene' => 'none']];
        self::assertContains($this->postJson("/api/studies/$study->id/steps", ['inputs' => []] + $body)->getStatusCode(), [404, 422]);
    }
}
