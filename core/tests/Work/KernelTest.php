<?php

namespace Chorometra\Core\Tests\Work;

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Arithmetic\LinearForms;
use Chorometra\Core\Classify\Classifiers\MaximumLikelihood;
use Chorometra\Core\Classify\Classifiers\NearestMean;
use Chorometra\Core\Classify\Classifiers\SpectralAngle;
use Chorometra\Core\Compare\Change\Directions;
use Chorometra\Core\Segment\Merging\MergeKernel;
use Chorometra\Core\Stats\Clustering;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\GeneratedCode;
use Chorometra\Core\Work\Kernel;
use PHPUnit\Framework\Attributes\RunInSeparateProcess;
use Symfony\Component\Process\Process;

/** Functions that are generated: what their builder makes, and that all of it is sound. */
final class KernelTest extends TestCase
{
    public function test_lines_are_written_out_by_number(): void
    {
        $kernel = Kernel::of('array $in, int $n, float $least')
            ->each(2, '$b# = $in[#];')
            ->text('$out = [];')
            ->loop(fn (Kernel $case): Kernel => $case
                ->text('$s = '.Kernel::joined(2, '$b#[$i] * $b#[$i]').';')
                ->block('if ($s > $least)', fn (Kernel $far): Kernel => $far->text('$out[] = $s;')))
            ->text('return $out;');
        self::assertSame(<<<'PHP'
            return static function (array $in, int $n, float $least): array {
                $b0 = $in[0];
                $b1 = $in[1];
                $out = [];
                for ($i = 0; $i < $n; ++$i) {
                    $s = $b0[$i] * $b0[$i] + $b1[$i] * $b1[$i];
                    if ($s > $least) {
                        $out[] = $s;
                    }
                }
                return $out;
            };

            PHP, $kernel->code());
        self::assertSame([25.0], $kernel->compile()([[3.0, 1.0], [4.0, 1.0]], 2, 2.0));
        self::assertSame('$v1 + $v4', Kernel::joined([1, 4], '$v#'));
        self::assertSame('', Kernel::joined(0, '$v#'));
    }

    public function test_other_numbers_use_the_same_file(): void
    {
        $files = count(GeneratedCode::files());
        $made = [];
        foreach ([0.1, 0.2, 0.05, 3.0] as $limit) {
            $made[] = (new Formula("one = where(x > $limit, x * $limit, -x)"))->compile()([[0.15, 5.0]], 2)[0];
            LinearForms::of([[$limit, 2.0]], [$limit])([[1.0], [2.0]], 1);
            Directions::of(2, $limit)([[1.0], [1.0], [2.0], [2.0]], 1);
            (new SpectralAngle([1, 2], 255, [[1.0, $limit], [$limit, 2.0]], null))->assign([[1.0], [3.0]], 1);
            MergeKernel::costs(2, $limit, 0.0, 1e-3);
        }
        self::assertEqualsWithDelta([[0.015, 0.5], [-0.15, 1.0], [0.0075, 0.25], [-0.15, 15.0]], $made, 1e-15);
        self::assertLessThanOrEqual($files + 5, count(GeneratedCode::files()));
    }

    /** What is younger than the process is not compiled: for hours a worker would run what it made itself without the JIT. */
    public function test_what_is_made_is_older_than_any_process(): void
    {
        Kernel::of('int $n', 'int')->text('return $n + '.random_int(1, PHP_INT_MAX >> 1).';')->compile();
        $file = GeneratedCode::files()[count(GeneratedCode::files()) - 1];
        clearstatcache();
        self::assertLessThan($_SERVER['REQUEST_TIME'] - 86400, filemtime($file));
        self::assertFileExists($file);
        unlink($file);
    }

    /** In a process of its own, which has made nothing else. */
    #[RunInSeparateProcess]
    public function test_all_that_is_generated_is_sound_to_static_analysis(): void
    {
        $bands = [[1.0, 2.0, 4.0, 3.0], [0.5, 1.5, 2.5, 0.1], [3.0, 1.0, 2.0, 2.5]];
        $normal = fn (float $at): Normal => Normal::of([$at, 1.0, 2.0], [[1.0, 0.1, 0.0], [0.1, 1.0, 0.2], [0.0, 0.2, 1.0]]) ?? self::fail('No normal.');
        Comoments::of($bands, 4);
        Comoments::weighted($bands, [1.0, 2.0, 1.0, 1.0], [0.0, 0.0, 0.0], 4);
        LinearForms::of([[0.3, -1.5, 1.0], [2.0, 1e-3, 0.0]], [0.1, -7.0])($bands, 4);
        Clustering::means($bands, 4, [[1.0, 0.5, 3.0], [4.0, 2.5, 2.0]], 3);
        Directions::of(2)([...$bands, $bands[0]], 4);
        Directions::of(3, 0.1)([...$bands, ...$bands], 4);
        (new Formula('a = (x - y) / (x + y); b = where(a > 0 and not (z == 2), min(x, y, z) ^ 2, nodata); c = clip(log10(x), 0, 1) or valid(y)'))
            ->compile()($bands, 4);
        foreach ([null, 10.0] as $reject) {
            (new SpectralAngle([1, 2], 255, [[1.0, 2.0, 1.0], [2.0, 1.0, 0.5]], $reject))->assign($bands, 4);
            $means = NearestMean::of([1, 2], 255, [[1.0, 1.0, 2.0], [3.0, 2.0, 2.0]], [1.0, 2.0, 1.0], [1.0, 1.0], $reject);
            $likely = new MaximumLikelihood([1, 2], 255, [$normal(1.0), $normal(3.0)], [0.5, 0.5], $reject === null ? null : 0.05);
            foreach ([$means, $likely] as $assigner) {
                $assigner->assign($bands, 4);
                $assigner->assign($bands, 4, true);
            }
        }
        foreach ([[0.0, 0.0], [0.1, 0.4]] as [$compact, $smooth]) {
            MergeKernel::costs(2, $compact, $smooth, 1e-3);
            MergeKernel::together(2, $compact, $smooth);
            MergeKernel::passes(2, $compact, $smooth, 1e-3);
        }
        mkdir("$this->folder/made");
        foreach (array_filter(GeneratedCode::files(), is_file(...)) as $file) {
            copy($file, "$this->folder/made/".basename($file));
        }
        file_put_contents("$this->folder/phpstan.neon", "parameters:\n    tmpDir: $this->folder/phpstan\n");
        $root = dirname(__DIR__, 3);
        $analysis = new Process(
            ['php', '-d', 'memory_limit=1500M', "$root/vendor/bin/phpstan", 'analyse', '--level=3', '--no-progress', '--error-format=raw', '-c',
                "$this->folder/phpstan.neon", "$this->folder/made"],
            env: ['PHP_INI_SCAN_DIR' => false],
            timeout: null,
        );
        $analysis->run();
        self::assertSame('', trim($analysis->getOutput()));
        self::assertTrue($analysis->isSuccessful(), $analysis->getErrorOutput());
    }
}
