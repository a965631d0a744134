<?php

namespace Tests\Feature;

use App\Evidence\Looks;
use Chorometra\Core\Stopped;
use Illuminate\Support\Facades\Route;
use Tests\TestCase;

/** Looks have two places, and only the newest of a page is wanted. */
class LooksTest extends TestCase
{
    /** @return array<string, string> */
    private static function request(string $path, string $page = 'page-0001'): array
    {
        return ['REQUEST_METHOD' => 'POST', 'REQUEST_URI' => $path, 'HTTP_X_PAGE' => $page];
    }

    private function place(int $number): string
    {
        is_dir("$this->folder/looks") || mkdir("$this->folder/looks", recursive: true);

        return "$this->folder/looks/place-$number";
    }

    protected function tearDown(): void
    {
        Looks::leave();
        parent::tearDown();
    }

    public function test_looks_find_two_places_and_everything_else_goes_by(): void
    {
        self::assertTrue(Looks::enter(self::request('/api/studies/1/keys/look'), $this->folder));
        // that one is held by this process; another process holds the other
        $other = fopen("$this->folder/looks/place-1", 'c');
        self::assertIsResource($other);
        flock($other, LOCK_EX);
        $third = fopen("$this->folder/looks/place-0", 'c');
        self::assertIsResource($third);
        self::assertFalse(flock($third, LOCK_EX | LOCK_NB));
        $looks = ['/api/studies/1/keys/look', '/api/studies/1/%6beys/look', '/api/studies/2/training', '/api/items/3/spectra', '/api/studies/1/at-pegs?x=1'];
        foreach ($looks as $path) {
            self::assertFalse(Looks::enter(self::request($path, 'page-0002'), $this->folder), $path);
        }
        foreach (['/api/studies/1/steps', '/api/studies/1/pegs', '/'] as $path) {
            self::assertTrue(Looks::enter(self::request($path), $this->folder), $path);
        }
        self::assertTrue(Looks::enter(['REQUEST_METHOD' => 'GET', 'REQUEST_URI' => '/api/studies/1/keys/look'], $this->folder));
        flock($other, LOCK_UN);
        self::assertTrue(Looks::enter(self::request('/api/studies/1/keys/look', 'page-0003'), $this->folder));
    }

    /** The list of paths is read before the framework is there, so it can't ask the routes. */
    public function test_every_route_that_looks_takes_a_place_and_no_other_does(): void
    {
        foreach ([0, 1] as $place) {
            $held[$place] = fopen($this->place($place), 'c');
            self::assertIsResource($held[$place]);
            flock($held[$place], LOCK_EX);
        }
        $looking = 0;
        foreach (Route::getRoutes()->getRoutesByMethod()['POST'] as $route) {
            if (! is_string($route->getAction('uses'))) {
                continue;
            }
            $method = new \ReflectionMethod(...explode('@', $route->getAction('uses')));
            [$first, $last] = [(int) $method->getStartLine(), (int) $method->getEndLine()];
            $code = implode('', array_slice((array) file((string) $method->getFileName()), $first - 1, $last - $first + 1));
            $looks = str_contains($code, 'Looks::at(');
            $looking += (int) $looks;
            self::assertSame(! $looks, Looks::enter(self::request('/'.preg_replace('/\{\w+\}/', '1', $route->uri())), $this->folder), $route->uri());
        }
        self::assertGreaterThan(5, $looking);
    }

    public function test_a_look_ends_when_its_page_asks_anew(): void
    {
        Looks::enter(self::request('/api/items/1/spectra'), $this->folder);
        self::assertSame(42, Looks::at(fn (): int => 42));
        // another request of the page leaves its own number
        foreach (glob("$this->folder/looks/page-*") ?: [] as $ticket) {
            file_put_contents($ticket, 'newer');
        }
        $this->expectException(Stopped::class);
        Looks::at(function (): int {
            for ($i = 0; true; $i++);
        });
    }

    public function test_what_breaks_off_in_a_look_is_a_sentence_and_the_server_goes_on(): void
    {
        $this->expectExceptionMessage('A worker process ended unexpectedly');
        Looks::at(function (): string {
            ini_set('memory_limit', (string) (memory_get_usage(true) + (16 << 20)));

            return str_repeat('x', 256 << 20);
        });
    }
}
