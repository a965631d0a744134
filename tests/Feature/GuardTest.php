<?php

namespace Tests\Feature;

use App\Auth\Session;
use App\Http\Guard;
use Chorometra\Core\Format\Web\HostPolicy;
use Chorometra\Core\Problem;
use Illuminate\Support\Facades\RateLimiter;
use Illuminate\Support\Facades\Route;
use Illuminate\Testing\TestResponse;
use Tests\TestCase;

/** Other pages in the browser, other names for this machine, and those who do not know the password. */
class GuardTest extends TestCase
{
    private const OWN = 'http://127.0.0.1:8420';

    /** @param  array<string, string>  $headers */
    private function refused(string $method, string $path, array $headers, int $status = 403): void
    {
        $this->flushHeaders();
        $answer = $this->json($method, $path, [], $headers);
        $answer->assertStatus($status)->assertHeader('Content-Type', 'application/problem+json')->assertHeader('X-Content-Type-Options', 'nosniff');
        self::assertNotSame('', (string) $answer->json('title'));
    }

    public function test_another_page_can_change_nothing(): void
    {
        $study = $this->study();
        foreach (
            [
                [],
                ['Origin' => 'http://elsewhere.example'],
                ['Origin' => 'null'],
                ['Origin' => 'http://127.0.0.1:3000'],
                ['Sec-Fetch-Site' => 'cross-site'],
                ['Sec-Fetch-Site' => 'same-site'],
                ['Sec-Fetch-Site' => 'none'],
                ['Origin' => self::OWN, 'Sec-Fetch-Site' => 'cross-site'],
            ] as $headers
        ) {
            $this->refused('DELETE', "/api/studies/$study->id", $headers);
            $this->refused('POST', '/api/studies', $headers);
            $this->refused('POST', "/api/studies/$study->id/uploads", $headers);
            if ($headers !== []) {
                $this->refused('PUT', '/standin/archive/behaviour', $headers);
            }
        }
        self::assertSame(1, $study->newQuery()->count());
        // programs have no pages: stand-ins answer those that say nothing
        $this->flushHeaders();
        $this->putJson('/standin/archive/behaviour', ['busy' => 0])->assertOk();
        $this->deleteJson("/api/studies/$study->id", [], ['Sec-Fetch-Site' => 'same-origin'])->assertNoContent();
    }

    public function test_a_form_can_not_say_that_it_deletes(): void
    {
        $study = $this->study();
        $this->post("/api/studies/$study->id", ['_method' => 'DELETE'], ['Accept' => 'application/json'])->assertStatus(405);
        $this->post("/api/studies/$study->id?_method=DELETE", [], ['Accept' => 'application/json'])->assertStatus(405);
        $this->post("/api/studies/$study->id", [], ['X-HTTP-Method-Override' => 'DELETE', 'Accept' => 'application/json'])->assertStatus(405);
        self::assertSame(1, $study->newQuery()->count());
    }

    public function test_a_foreign_name_for_this_machine_reads_nothing(): void
    {
        $status = fn (string $host): int => Guard::refusal(
            ['REQUEST_METHOD' => 'GET', 'REQUEST_URI' => '/api/studies', 'HTTP_HOST' => $host],
            Guard::hosts(null),
        )[0] ?? 200;
        foreach (
            ['', 'elsewhere.example', 'elsewhere.example:8420', '127.0.0.1', '127.0.0.1:81', '127.0.0.1:8420.elsewhere.example', 'x@127.0.0.1:8420'] as $host
        ) {
            self::assertSame(421, $status($host), $host);
        }
        foreach (['127.0.0.1:8420', 'LOCALHOST:8420', '[::1]:8420'] as $host) {
            self::assertSame(200, $status($host), $host);
        }
        $this->getJson('http://elsewhere.example:8420/api/studies')->assertStatus(421);
        $this->getJson('http://localhost:8420/api/studies')->assertOk();
        // nor may another page take pictures or tiles from here; a link to us may be followed
        $this->refused('GET', '/api/studies', ['Sec-Fetch-Site' => 'cross-site', 'Sec-Fetch-Mode' => 'no-cors']);
        $this->get('/', ['Sec-Fetch-Site' => 'cross-site', 'Sec-Fetch-Mode' => 'navigate'])->assertOk();
    }

    public function test_pages_say_what_they_may_do(): void
    {
        $answer = $this->get('/')->assertOk();
        self::assertStringContainsString("default-src 'self'", (string) $answer->headers->get('Content-Security-Policy'));
        self::assertStringContainsString("frame-ancestors 'none'", (string) $answer->headers->get('Content-Security-Policy'));
        self::assertSame([], $answer->headers->getCookies(), 'without a password there are no sessions');
        $this->get('/api/studies')->assertHeader('X-Frame-Options', 'DENY')->assertHeader('Cross-Origin-Resource-Policy', 'same-origin');
    }

    private function protect(): void
    {
        config(['chorometra.password' => password_hash('sound of Orvane', PASSWORD_BCRYPT, ['cost' => 4]), 'session.driver' => 'file']);
        mkdir(config()->string('session.files'), recursive: true);
        $this->withCredentials();
    }

    private function signIn(string $password): TestResponse
    {
        return $this->post('/login', ['password' => $password]);
    }

    private static function cookieOf(TestResponse $answer): string
    {
        $cookies = array_column(
            array_map(fn ($cookie): array => ['name' => $cookie->getName(), 'cookie' => $cookie], $answer->headers->getCookies()),
            'cookie',
            'name',
        );
        $cookie = $cookies[Session::COOKIE];
        self::assertTrue($cookie->isHttpOnly());
        self::assertSame('strict', $cookie->getSameSite());

        return (string) $cookie->getValue();
    }

    public function test_with_a_password_nothing_is_told_before_it_is_given(): void
    {
        $this->protect();
        self::says($this->getJson('/api/studies'), 'not signed in', status: 401);
        $this->get('/')->assertRedirect('/login');
        $this->get('/login')->assertOk()->assertSee('password');
        $wrong = $this->signIn('sound of Orvane?')->assertRedirect('/login');
        $this->withUnencryptedCookie(Session::COOKIE, self::cookieOf($wrong))->getJson('/api/studies')->assertStatus(401);
        $this->get('/login')->assertSee('Wrong password.');

        $in = $this->signIn('sound of Orvane')->assertRedirect('/');
        $id = self::cookieOf($in);
        self::assertNotSame(self::cookieOf($wrong), $id, 'the session before is another');
        $this->withUnencryptedCookie(Session::COOKIE, $id);
        $this->getJson('/api/studies')->assertOk();
        $this->get('/')->assertOk()->assertSee('signed-in');

        $this->post('/logout')->assertRedirect('/login');
        $this->getJson('/api/studies')->assertStatus(401);
        self::assertFalse(Session::isIn(config()->string('chorometra.password'), [Session::COOKIE => $id], config()->string('session.files')));
    }

    public function test_a_session_ends_with_its_password_and_names_no_file(): void
    {
        $this->protect();
        $id = self::cookieOf($this->signIn('sound of Orvane'));
        $files = config()->string('session.files');
        self::assertTrue(Session::isIn(config()->string('chorometra.password'), [Session::COOKIE => $id], $files));
        self::assertFalse(Session::isIn(password_hash('another word', PASSWORD_BCRYPT, ['cost' => 4]), [Session::COOKIE => $id], $files));
        foreach (['', '../../db', str_repeat('a', 40), "$id/", ['x']] as $cookie) {
            self::assertFalse(Session::isIn(config()->string('chorometra.password'), [Session::COOKIE => $cookie], $files));
        }
        touch("$files/$id", time() - 13 * 3600);
        clearstatcache();
        self::assertFalse(Session::isIn(config()->string('chorometra.password'), [Session::COOKIE => $id], $files));
    }

    public function test_guessing_is_slow(): void
    {
        $this->protect();
        for ($i = 0; $i < 5; $i++) {
            $this->signIn("guess $i");
        }
        $last = $this->signIn('sound of Orvane')->assertRedirect('/login');
        $this->withUnencryptedCookie(Session::COOKIE, self::cookieOf($last))->get('/login')->assertSee('Too many tries');
        RateLimiter::clear('login/127.0.0.1');
        $this->signIn('sound of Orvane')->assertRedirect('/');
    }

    public function test_stand_ins_are_for_this_machine(): void
    {
        config(['chorometra.hosts' => ['127.0.0.1:8420', '192.0.2.7:8420']]);
        $from = fn (string $address, array $more = []): int => $this->call(
            'GET',
            'http://127.0.0.1:8420/standin/archive',
            server: ['REMOTE_ADDR' => $address] + $more,
        )->getStatusCode();
        self::assertSame([200, 200, 200], [$from('127.0.0.1'), $from('::1'), $from('192.0.2.7')]);
        self::assertSame([404, 404, 404], [$from('192.0.2.8'), $from('2001:db8::1'), $from('127.0.0.1', ['HTTP_X_FORWARDED_FOR' => '192.0.2.8'])]);
    }

    /** @return list<string> ways of writing one path */
    private static function written(string $path): array
    {
        $first = fn (string $part): string => $part === '' ? '' : sprintf('%%%02x', ord($part[0])).substr($part, 1);
        $encoded = implode('/', array_map($first, explode('/', $path)));

        return [$path, $encoded, '/'.$path, '/index.php'.$path, '/index.php'.$encoded, "$path/", "$path?x=1"];
    }

    public function test_no_way_of_writing_a_path_leads_around_the_guard(): void
    {
        $asked = 0;
        foreach (Route::getRoutes()->getRoutes() as $route) {
            $isStandin = str_starts_with($route->uri(), 'standin');
            if (! $isStandin && ! str_starts_with($route->uri(), 'api/')) {
                continue;
            }
            $path = '/'.preg_replace(['/\{(?:z|x|y)\}/', '/\{[a-z]+\??\}/'], ['0', '1'], $route->uri());
            foreach ($route->methods() as $method) {
                foreach (self::written($path) as $way) {
                    $this->flushHeaders();
                    $ask = function (array $server) use ($method, $way): int {
                        $answer = $this->call($method, "http://127.0.0.1:8420$way", server: $server + [
                            'REMOTE_ADDR' => '127.0.0.1', 'HTTP_ACCEPT' => 'application/json',
                        ]);

                        // a path that is none leads to the page of the application, which tells nothing
                        return $answer->isOk() && str_contains((string) $answer->headers->get('Content-Type'), 'text/html') ? 404 : $answer->getStatusCode();
                    };
                    $isSafe = in_array($method, ['GET', 'HEAD', 'OPTIONS'], true);
                    // another machine, another page, and whoever says nothing
                    $isStandin && self::assertContains($ask(['REMOTE_ADDR' => '192.0.2.8']), [404, 405], "$method $way from elsewhere");
                    self::assertSame(403, $ask(['HTTP_SEC_FETCH_SITE' => 'cross-site', 'HTTP_SEC_FETCH_MODE' => 'cors']), "$method $way of another page");
                    $isSafe || $isStandin || self::assertContains($ask([]), [403, 404, 405], "$method $way that says nothing");
                    $asked++;
                }
            }
        }
        self::assertGreaterThan(500, $asked);
    }

    public function test_ids_are_not_told_to_those_who_are_not_signed_in(): void
    {
        $study = $this->study();
        $this->protect();
        $this->getJson("/api/studies/$study->id")->assertStatus(401);
        $this->getJson('/api/studies/987654')->assertStatus(401);
    }

    public function test_looking_at_the_login_page_leaves_nothing_and_a_list_is_no_password(): void
    {
        $this->protect();
        for ($i = 0; $i < 5; $i++) {
            $this->get('/login')->assertOk();
        }
        self::assertSame([], glob(config()->string('session.files').'/*'));
        $this->post('/login', ['password' => ['x']])->assertRedirect('/login');
    }

    public function test_private_addresses_are_asked_only_when_listed(): void
    {
        foreach (
            [
                '127.0.0.1',
                '10.1.2.3',
                '172.16.0.1',
                '192.168.1.1',
                '169.254.169.254',
                '100.64.0.1',
                '0.0.0.0',
                '::1',
                'fe80::1',
                'fd00::1',
                '::ffff:127.0.0.1',
                '64:ff9b::a00:1',
            ] as $address
        ) {
            self::assertFalse(HostPolicy::isPublic($address), $address);
        }
        foreach (['93.184.216.34', '2606:2800:220:1::1'] as $address) {
            self::assertTrue(HostPolicy::isPublic($address), $address);
        }
        try {
            HostPolicy::limit(['[fd00::7]:8420', 'localhost:8420']);
            self::assertSame([], HostPolicy::pinned('http://[fd00::7]:8420/x', 'The archive', 'archive'));
            self::assertSame(['localhost:8420:127.0.0.1'], HostPolicy::pinned('http://localhost:8420/x', 'The archive', 'archive'));
            HostPolicy::limit(['127.0.0.1:8420']);
            self::assertSame([], HostPolicy::pinned('http://127.0.0.1:8420/standin/archive', 'The archive', 'archive'));
            foreach (['http://127.0.0.1:9/x', 'http://localhost/', 'http://[::1]:8420/', 'http://2130706433/', 'http://0x7f.1/'] as $url) {
                try {
                    HostPolicy::pinned($url, 'The archive', 'archive');
                    self::fail("$url was not refused.");
                } catch (Problem $problem) {
                    self::assertMatchesRegularExpression('/private network|no host/', $problem->getMessage());
                }
            }
            self::says($this->postJson('/api/archives', ['address' => 'http://169.254.169.254/latest']), 'lies in a private network', 'archive');
            self::says($this->postJson('/api/archives', ['address' => 'file:///etc/passwd']), 'must begin with http', 'archive');
        } finally {
            HostPolicy::limit(null);
        }
    }
}
