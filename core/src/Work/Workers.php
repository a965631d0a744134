<?php

namespace Chorometra\Core\Work;

use Chorometra\Core\Problem;
use Chorometra\Core\Stopped;

/**
 * Runs numbered tasks in forked children: task k in child k mod n. Children only read what the parent made; each
 * task's small answer comes back over a pipe, serialised, so that every number survives; large results go to files. A child that dies
 * fails the whole.
 */
final class Workers
{
    /**
     * @param  \Closure(int): mixed  $task  run in a child; its answer must be serialisable
     * @param  \Closure(int, mixed): void  $done  run here, always in the order of tasks: sums are the same however many worked
     * @param  \Closure(): mixed|null  $finish  run in each child after its tasks; its answer reaches $done as task -1, whenever it comes
     */
    public static function run(int $tasks, Context $context, string $doing, \Closure $task, \Closure $done, ?\Closure $finish = null): void
    {
        $count = min($context->workers, $tasks);
        if ($count <= 1 || ! function_exists('pcntl_fork')) {
            for ($k = 0; $k < $tasks; $k++) {
                $context->report($k / max(1, $tasks), $doing);
                $done($k, $task($k));
            }
            if ($finish !== null && $tasks > 0) {
                $done(-1, $finish());
            }

            return;
        }
        self::fork($count, $tasks, $context, $doing, $task, $done, $finish);
    }

    /**
     * The same, where all answers are wanted.
     *
     * @template T
     *
     * @param  \Closure(int): T  $task  run in a child; its answer must be serialisable
     * @return list<T> by task
     */
    public static function all(int $tasks, Context $context, string $doing, \Closure $task): array
    {
        $answers = [];
        self::run($tasks, $context, $doing, $task, function (int $k, mixed $answer) use (&$answers): void {
            $answers[] = $answer;
        });

        return $answers;
    }

    /**
     * Does work in one child of its own, which can be ended at any moment whether it looks up or not, and whose memory goes with it.
     *
     * @template T
     *
     * @param  \Closure(Context): T  $work  given a context of its own that reports to this one
     * @param  \Closure(int): void  $clean  takes away what the process of this number left behind
     * @return T
     */
    public static function aside(Context $context, \Closure $work, \Closure $clean): mixed
    {
        if (! function_exists('pcntl_fork')) {
            return $work($context);
        }
        // made here, so that it is removed here when the child is ended
        $context->folder();
        $answer = null;
        $task = function (int $k, \Closure $say) use ($context, $work): array {
            $told = 0;
            $own = $context->reporting(function (float $share, string $doing) use ($say, &$told): void {
                if (hrtime(true) - $told > 50_000_000) {
                    $told = hrtime(true);
                    $say(['share' => $share, 'doing' => $doing]);
                }
            }, fn (string $figure, array $point) => $say(['figure' => $figure, 'point' => $point]));
            $answer = $work($own);

            return ['answer' => $answer, 'memory' => Context::peak() + $own->workersMemory()];
        };
        self::fork(1, 1, $context, null, $task, function (int $k, mixed $result) use (&$answer, $context): void {
            $answer = $result['answer'];
            $context->tookMemory($result['memory']);
        }, null, $clean);

        return $answer;
    }

    /**
     * What a child tells one by one, which may be ended when it is silent for long: for work in libraries that can't be interrupted.
     *
     * @template T
     *
     * @param  \Closure(): iterable<T>  $tell
     * @param  (\Closure(): bool)|null  $isWanted  looked at a few times a second
     * @return \Generator<int, T>
     *
     * @throws Problem with the sentence $silent, where it says nothing for $seconds
     * @throws Stopped where it is wanted no more
     */
    public static function messages(\Closure $tell, float $seconds, string $silent, ?\Closure $isWanted = null): \Generator
    {
        if (! function_exists('pcntl_fork')) {
            yield from $tell();

            return;
        }
        ['pid' => $pid, 'stream' => $stream] = self::start(function (\Closure $say) use ($tell): void {
            foreach ($tell() as $one) {
                $say(['one' => $one]);
            }
            $say(['end' => true]);
        });
        try {
            $buffer = '';
            $heard = microtime(true);
            while (true) {
                $ready = [$stream];
                $none = null;
                if (@stream_select($ready, $none, $none, 0, $isWanted === null ? 200_000 : 50_000) > 0) {
                    self::hear($stream, $buffer);
                    $heard = microtime(true);
                } elseif (microtime(true) - $heard > $seconds) {
                    throw Problem::input($silent);
                } elseif ($isWanted !== null && ! $isWanted()) {
                    throw new Stopped('It is not wanted any more.');
                }
                while (($message = self::message($buffer)) !== null) {
                    if (isset($message['end'])) {
                        return;
                    }
                    yield $message['one'];
                    $heard = microtime(true);
                }
            }
        } finally {
            fclose($stream);
            self::finish($pid);
        }
    }

    /**
     * One answer, of a child with the same limits.
     *
     * @template T
     *
     * @param  \Closure(): T  $work
     * @param  (\Closure(): bool)|null  $isWanted
     * @return T
     *
     * @throws Problem with the sentence $silent, where there is none after $seconds
     * @throws Stopped where it is wanted no more
     */
    public static function answer(\Closure $work, float $seconds, string $silent, ?\Closure $isWanted = null): mixed
    {
        $tell = function () use ($work): \Generator {
            yield $work();
        };
        foreach (self::messages($tell, $seconds, $silent, $isWanted) as $answer) {
            return $answer;
        }
        throw Problem::input($silent);
    }

    /**
     * @param  \Closure(\Closure(array<string, mixed>): void): void  $work
     * @return array{pid: int, stream: resource}
     */
    private static function start(\Closure $work): array
    {
        $pair = stream_socket_pair(STREAM_PF_UNIX, STREAM_SOCK_STREAM, 0);
        if ($pair === false) {
            throw Problem::computation('No worker could be started: the system is out of sockets.');
        }
        $pid = pcntl_fork();
        if ($pid === -1) {
            throw Problem::computation('No worker could be started: the system is out of memory or processes.');
        }
        if ($pid === 0) {
            fclose($pair[0]);
            self::child($pair[1], $work);
        }
        fclose($pair[1]);
        stream_set_blocking($pair[0], false);

        return ['pid' => $pid, 'stream' => $pair[0]];
    }

    private static function finish(int $pid): void
    {
        posix_kill($pid, SIGKILL);
        pcntl_waitpid($pid, $status);
    }

    /**
     * @param  string|null  $doing  what to say of the share of tasks done; null where the child speaks for itself
     * @param  \Closure(int, \Closure(array<string, mixed>): void): mixed  $task
     * @param  \Closure(int, mixed): void  $done
     * @param  \Closure(): mixed|null  $finish
     * @param  \Closure(int): void|null  $clean
     */
    private static function fork(
        int $count,
        int $tasks,
        Context $context,
        ?string $doing,
        \Closure $task,
        \Closure $done,
        ?\Closure $finish,
        ?\Closure $clean = null,
    ): void {
        $children = [];
        $streams = [];
        try {
            for ($worker = 0; $worker < $count; $worker++) {
                ['pid' => $children[$worker], 'stream' => $streams[$worker]] = self::start(function (\Closure $say) use (
                    $worker,
                    $count,
                    $tasks,
                    $task,
                    $finish,
                ): void {
                    $before = Infinite::seen();
                    for ($k = $worker; $k < $tasks; $k += $count) {
                        $say(['task' => $k, 'answer' => $task($k, $say)]);
                    }
                    if ($finish !== null) {
                        $say(['task' => -1, 'answer' => $finish()]);
                    }
                    $say(['task' => 'end', 'answer' => Context::peak(), 'infinite' => Infinite::seen() - $before]);
                });
            }
            $context->tookMemory(self::listen($streams, $tasks, $context, $doing, $done));
        } finally {
            foreach ($children as $pid) {
                self::finish($pid);
                if ($clean !== null) {
                    $clean($pid);
                }
            }
        }
    }

    /**
     * @param  array<int, resource>  $streams
     * @param  \Closure(int, mixed): void  $done
     * @return int bytes that the children took together
     */
    private static function listen(array $streams, int $tasks, Context $context, ?string $doing, \Closure $done): int
    {
        $buffers = array_fill_keys(array_keys($streams), '');
        $finished = 0;
        $waiting = [];
        $next = 0;
        $memory = 0;
        while ($streams !== []) {
            $ready = $streams;
            $none = null;
            @stream_select($ready, $none, $none, 0, 100_000);
            foreach ($ready as $stream) {
                $worker = array_search($stream, $streams, true);
                self::hear($stream, $buffers[$worker]);
                while (($message = self::message($buffers[$worker])) !== null) {
                    if (isset($message['figure'])) {
                        $context->grow($message['figure'], $message['point']);

                        continue;
                    }
                    if (isset($message['share'])) {
                        $context->pass($message['share'], $message['doing']);

                        continue;
                    }
                    if ($message['task'] === 'end') {
                        $memory += $message['answer'];
                        Infinite::add($message['infinite']);
                        fclose($stream);
                        unset($streams[$worker]);
                        break;
                    }
                    if ($message['task'] === -1) {
                        $done(-1, $message['answer']);

                        continue;
                    }
                    $finished++;
                    for ($waiting[$message['task']] = $message; isset($waiting[$next]); $next++) {
                        $done($next, $waiting[$next]['answer']);
                        unset($waiting[$next]);
                    }
                }
            }
            $doing === null ? $context->check() : $context->report($finished / $tasks, $doing);
        }

        return $memory;
    }

    /** @param  resource  $stream */
    private static function hear($stream, string &$buffer): void
    {
        $read = fread($stream, 1 << 20);
        if (is_string($read) && $read !== '') {
            $buffer .= $read;
        } elseif (feof($stream)) {
            throw Problem::computation('A worker process ended unexpectedly (killed, or out of memory?): run the step again.');
        }
    }

    /**
     * The first message in the buffer, taken out of it, once it is whole.
     *
     * @return array<string, mixed>|null
     */
    private static function message(string &$buffer): ?array
    {
        $length = strlen($buffer) < 8 ? null : ((array) unpack('P', $buffer))[1];
        if ($length === null || strlen($buffer) < 8 + $length) {
            return null;
        }
        $message = unserialize(substr($buffer, 8, $length));
        $buffer = substr($buffer, 8 + $length);
        if (isset($message['problem'])) {
            throw new Problem($message['problem'], $message['status'] ?? 1, $message['about'] ?? null, $message['at'] ?? null);
        }

        return $message;
    }

    /** When the parent is killed, the kernel kills its children (prctl, PR_SET_PDEATHSIG); without FFI they end at their next answer. */
    private static function endWithParent(): void
    {
        try {
            // @phpstan-ignore method.notFound (declared in C)
            \FFI::cdef('int prctl(int option, unsigned long argument);')->prctl(1, SIGKILL);
        } catch (\FFI\Exception) {
            return;
        }
    }

    /**
     * @param  resource  $pipe
     * @param  \Closure(\Closure(array<string, mixed>): void): void  $work
     */
    private static function child($pipe, \Closure $work): never
    {
        $parent = posix_getppid();
        self::endWithParent();
        // a child that breaks off (out of memory, say) must not answer for its parent: nothing of it is sent, it is over
        ob_start(function (): string {
            posix_kill(posix_getpid(), SIGKILL);

            return '';
        });
        memory_reset_peak_usage();
        pcntl_signal(SIGTERM, SIG_DFL);
        pcntl_signal(SIGINT, SIG_DFL);
        $say = function (array $message) use ($pipe, $parent): void {
            $bytes = serialize($message);
            $bytes = pack('P', strlen($bytes)).$bytes;
            for ($sent = 0; $sent < strlen($bytes);) {
                $written = @fwrite($pipe, $sent === 0 ? $bytes : substr($bytes, $sent));
                if ($written === false || $written === 0 || posix_getppid() !== $parent) {
                    posix_kill(posix_getpid(), SIGKILL);
                }
                $sent += (int) $written;
            }
        };
        try {
            $work($say);
        } catch (Problem $problem) {
            $say(['problem' => $problem->getMessage(), 'status' => $problem->status, 'about' => $problem->about, 'at' => $problem->at]);
        } catch (\Throwable $error) {
            $say(['problem' => 'The computation failed: '.$error->getMessage().' ('.basename($error->getFile()).':'.$error->getLine().').']);
        }
        // no destructors of the parent's database connections and files here
        posix_kill(posix_getpid(), SIGKILL);
        exit;
    }
}
