<?php

namespace Chorometra\Core\Tests\Engine;

use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\Samples;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use PHPUnit\Framework\Attributes\DataProvider;

/**
 * Holds outputs and figures of every kind against those of an earlier version, while code is moved about: `CHOROMETRA_BYTES=FILE
 * vendor/bin/phpunit core/tests/Engine/SameBytes.php` writes their hashes to the file the first time, and compares with them from then on.
 * Hashes hold for one machine, since libraries pack otherwise on another; so it is no part of the suite.
 */
final class SameBytes extends TestCase
{
    use Samples;

    /** @return iterable<string, array{string, array<string, mixed>, int}> the example of each kind, and each choice of its settings */
    public static function calls(): iterable
    {
        foreach (Registry::all() as $id => $kind) {
            $declaration = $kind->declaration();
            if ($declaration->example->needs !== null) {
                continue;
            }
            foreach ([1, 2] as $workers) {
                yield "$id, $workers workers" => [$id, $declaration->example->settings, $workers];
            }
            foreach ($declaration->settings as $setting) {
                $choices = $setting->type === 'switch' ? ['yes', 'no'] : $setting->choices;
                foreach ($choices as $choice) {
                    yield "$id, $setting->name $choice" => [$id, [...$declaration->example->settings, $setting->name => $choice], 2];
                }
            }
        }
    }

    /** @param  array<string, mixed>  $settings */
    #[DataProvider('calls')]
    public function test_outputs_and_figures_are_as_before(string $id, array $settings, int $workers): void
    {
        $declaration = Registry::get($id)->declaration();
        try {
            $figures = $this->figures($declaration, $settings, $workers);
        } catch (Problem $problem) {
            $figures = ['problem' => str_replace($this->folder, '', $problem->getMessage())];
        }
        unset($figures['seconds'], $figures['memory']);
        $hashes = ['figures' => md5(str_replace($this->folder, '', serialize($figures)))];
        $folder = "$this->folder/out";
        $made = is_dir($folder) ? new \RecursiveDirectoryIterator($folder, \FilesystemIterator::SKIP_DOTS) : new \RecursiveArrayIterator([]);
        foreach (new \RecursiveIteratorIterator($made) as $file) {
            $bytes = (string) file_get_contents((string) $file);
            // when it was made is told by the sidecar
            $hashes[basename((string) $file)] = md5((string) preg_replace('/"(created|updated)": *"[^"]*"/', '', str_replace($this->folder, '', $bytes)));
        }
        ksort($hashes);
        $path = getenv('CHOROMETRA_BYTES') ?: self::fail('CHOROMETRA_BYTES names no file.');
        $known = is_file($path) ? (array) json_decode((string) file_get_contents($path), true) : [];
        $name = (string) $this->dataName();
        if (! isset($known[$name])) {
            Files::write($path, (string) json_encode([...$known, $name => $hashes], JSON_PRETTY_PRINT));
        }
        self::assertSame($known[$name] ?? $hashes, $hashes);
    }

    /**
     * @param  array<string, mixed>  $settings
     * @return array<string, mixed>
     */
    private function figures(Declaration $declaration, array $settings, int $workers): array
    {
        $inputs = $outputs = [];
        foreach ($declaration->example->inputs($declaration) as $name => $port) {
            $inputs[$name] = $this->sample($port->sample(), 70, 620, 'ground', (int) (explode(':', $name)[1] ?? 1));
        }
        $values = $declaration->settings($settings);
        foreach (array_filter($declaration->outputs, fn (Port $port): bool => $port->isMade($values, array_keys($inputs))) as $port) {
            $outputs[$port->name] = "$this->folder/out/$port->name".($port->type === PortType::Folder ? '' : $port->endings[0]);
        }
        $kind = Registry::get($declaration->id);

        return Runner::run($kind, CallOpener::call($kind, $inputs, $settings, $outputs, new Context($workers, $this->folder)));
    }
}
