<?php

namespace Tests;

use App\Models\Study;
use Chorometra\Core\Tests\MakesRasters;
use Chorometra\Core\Work\Files;
use Illuminate\Contracts\Console\Kernel;
use Illuminate\Foundation\Application;
use Illuminate\Foundation\Testing\RefreshDatabase;
use Illuminate\Foundation\Testing\TestCase as Base;
use Illuminate\Http\UploadedFile;
use Illuminate\Testing\TestResponse;

/** The application with a database in memory, a folder of its own, and steps that run at once. */
abstract class TestCase extends Base
{
    use MakesRasters;
    use RefreshDatabase;

    protected string $folder;

    public function createApplication(): Application
    {
        $this->folder = sys_get_temp_dir().'/chorometra-test-'.bin2hex(random_bytes(6));
        mkdir($this->folder);
        foreach (
            [
                'DB_DATABASE' => ':memory:',
                'QUEUE_CONNECTION' => 'sync',
                'CACHE_STORE' => 'array',
                'CHOROMETRA_FILES' => "$this->folder/files",
                'CHOROMETRA_DEMO' => "$this->folder/demo",
            ] as $name => $value
        ) {
            $_ENV[$name] = $_SERVER[$name] = $value;
            putenv("$name=$value");
        }
        $app = require dirname(__DIR__).'/bootstrap/app.php';
        $app->make(Kernel::class)->bootstrap();

        return $app;
    }

    protected function setUp(): void
    {
        parent::setUp();
        $this->withHeader('Origin', config()->string('app.url'));
    }

    protected function tearDown(): void
    {
        parent::tearDown();
        Files::remove($this->folder);
    }

    protected function study(): Study
    {
        return Study::query()->create(['name' => 'Trial ground'])->refresh();
    }

    /** Sends files as a browser does; the answer names the upload and the kind that takes it in. */
    protected function upload(Study $study, string ...$paths): TestResponse
    {
        return $this->post("/api/studies/$study->id/uploads", ['files' => array_map(function (string $path): UploadedFile {
            // the sent file is moved away, as PHP's own would be
            copy($path, "$path.sent");

            return new UploadedFile("$path.sent", basename($path), null, null, true);
        }, $paths)], ['Accept' => 'application/json']);
    }

    /**
     * Sets up and runs a step; it must end in the given state.
     *
     * @param  array<string, array<string, mixed>>  $inputs
     * @param  array<string, mixed>  $settings
     * @return array<string, mixed>
     */
    protected function step(Study $study, string $kind, array $inputs, array $settings = [], string $state = 'done'): array
    {
        $step = $this->postJson("/api/studies/$study->id/steps", ['kind' => $kind, 'inputs' => $inputs, 'settings' => $settings, 'run' => true])
            ->assertStatus(201)
            ->json();
        self::assertSame($state, $step['state'], (string) $step['problem']);

        return $step;
    }

    /**
     * A study with an image of two bands read in.
     *
     * @return array{Study, array<string, mixed>} the study, and the step that read the image
     */
    protected function ground(int $width = 40, int $height = 30): array
    {
        $study = $this->study();
        $green = [];
        $nir = [];
        for ($i = 0; $i < $width * $height; $i++) {
            // water in the west, land in the east, a strip of nodata in the north
            $isWater = $i % $width < $width / 4;
            $green[] = $i < $width ? NAN : ($isWater ? 0.08 : 0.06);
            $nir[] = $i < $width ? NAN : ($isWater ? 0.02 : 0.30);
        }
        $path = $this->image('ground.tif', $width, $height, ['green' => $green, 'nir' => $nir]);
        $upload = $this->upload($study, $path)->assertStatus(201)->json();

        return [
            $study,
            $this->step($study, 'gather.image', ['image' => ['upload' => $upload['upload']]], ['roles' => ['green', 'nir'], 'date' => '2031-05-12']),
        ];
    }

    /** @param  array<string, mixed>  $step */
    protected static function itemOf(array $step, string $output = 'result'): int
    {
        return array_column($step['items'], 'id', 'output')[$output];
    }

    protected static function says(TestResponse $response, string $part, ?string $about = null, int $status = 422): void
    {
        $response->assertStatus($status)->assertHeader('Content-Type', 'application/problem+json');
        self::assertStringContainsString($part, (string) $response->json('title'));
        if ($about !== null) {
            self::assertSame($about, $response->json('about'));
        }
    }
}
