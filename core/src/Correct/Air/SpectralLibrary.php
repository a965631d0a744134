<?php

namespace Chorometra\Core\Correct\Air;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Work\Utf8;

/** Reflectance of known covers over wavelength, as measured: a column of wavelengths and one for each cover. */
final readonly class SpectralLibrary
{
    private const MOST_BYTES = 8 << 20;

    private const MOST_CELLS = 1_000_000;

    /** Places within a band that a signature is read at. */
    private const SAMPLES = 9;

    /**
     * @param  list<float>  $wavelengths  µm, rising
     * @param  array<string, list<float|null>>  $covers  reflectance 0 to 1; null where it was not measured
     */
    public function __construct(public array $wavelengths, public array $covers) {}

    /**
     * CSV with a heading, parted by commas, semicolons (then a decimal comma is understood too) or tabs. Wavelengths in nm and reflectance
     * in per cent are seen by their size.
     *
     * @throws Problem where the file is no table of spectra
     */
    public static function read(string $path): self
    {
        $name = basename($path);
        if (! is_file($path) || filesize($path) > self::MOST_BYTES) {
            throw Problem::input(is_file($path) ? "$name is larger than 8 MB: take fewer signatures at a time." : "$name can't be opened.", 'signatures');
        }
        $lines = preg_split('/\R/', trim(Utf8::of((string) preg_replace('/^\xEF\xBB\xBF/', '', (string) file_get_contents($path))))) ?: [];
        $heading = (string) array_shift($lines);
        $separator = str_contains($heading, "\t") ? "\t" : (str_contains($heading, ';') ? ';' : ',');
        $names = array_map(fn (?string $cell): string => trim((string) $cell), str_getcsv($heading, $separator, '"', ''));
        if (count($names) < 2 || $lines === []) {
            throw Problem::input(
                "$name contains no signatures: expected are a heading line, a column of wavelengths and one column of reflectance for each cover.",
                'signatures',
            );
        }
        if (count($names) * count($lines) > self::MOST_CELLS) {
            throw Problem::input("$name has more than a million cells: take fewer signatures at a time.", 'signatures');
        }
        $rows = [];
        foreach ($lines as $number => $line) {
            if (trim($line) === '') {
                continue;
            }
            $cells = array_map(
                fn (?string $cell): string => str_replace($separator === ';' ? ',' : '', '.', trim((string) $cell)),
                str_getcsv($line, $separator, '"', ''),
            );
            if (! is_numeric($cells[0]) || count($cells) !== count($names)) {
                throw Problem::input(
                    sprintf('Line %d of %s is no line of a signature: %d numbers were expected, a wavelength first.', $number + 2, $name, count($names)),
                    'signatures',
                );
            }
            foreach ($cells as $i => $cell) {
                if ($cell !== '' && (! is_numeric($cell) || ! is_finite((float) $cell))) {
                    throw Problem::input(
                        sprintf('Line %d of %s holds “%s” for %s, where a number was expected.', $number + 2, $name, mb_substr($cell, 0, 20), $names[$i] ?? ''),
                        'signatures',
                    );
                }
            }
            $rows[] = array_map(fn (string $cell): ?float => $cell === '' ? null : (float) $cell, $cells);
        }
        usort($rows, fn (array $a, array $b): int => $a[0] <=> $b[0]);
        $wavelengths = array_map(fn (array $row): float => (float) $row[0], $rows);
        if (count($rows) < 2 || $wavelengths[0] <= 0) {
            throw Problem::input("$name needs two wavelengths at least, all above 0.", 'signatures');
        }
        $isNanometres = max($wavelengths) > 100;
        $covers = [];
        foreach ($names as $i => $cover) {
            if ($i > 0) {
                $values = array_map(fn (array $row): ?float => $row[$i] ?? null, $rows);
                $isPercent = max([0.0, ...array_filter($values, fn (?float $value): bool => $value !== null)]) > 1.5;
                $covers[$cover === '' ? "cover $i" : $cover] = array_map(
                    fn (?float $value): ?float => $value === null ? null : ($isPercent ? $value / 100 : $value),
                    $values,
                );
            }
        }

        return new self(array_map(fn (float $one): float => $isNanometres ? $one / 1000 : $one, $wavelengths), $covers);
    }

    /** What a band would see of a cover; null where the signature does not reach over it. */
    public function seenBy(Band $band, string $cover): ?float
    {
        if ($band->wavelength === null) {
            return null;
        }
        $sum = 0.0;
        for ($k = 0; $k < self::SAMPLES; $k++) {
            $value = $this->value($band->wavelength + (($k + 0.5) / self::SAMPLES - 0.5) * ($band->bandwidth ?? 0.0), $this->covers[$cover]);
            if ($value === null) {
                return null;
            }
            $sum += $value / self::SAMPLES;
        }

        return $sum;
    }

    /** @param  list<float|null>  $values */
    private function value(float $wavelength, array $values): ?float
    {
        $w = $this->wavelengths;
        $last = count($w) - 1;
        if ($wavelength < $w[0] || $wavelength > $w[$last]) {
            return null;
        }
        [$low, $high] = [0, $last];
        while ($high - $low > 1) {
            $middle = intdiv($low + $high, 2);
            [$low, $high] = $w[$middle] <= $wavelength ? [$middle, $high] : [$low, $middle];
        }
        if ($values[$low] === null || $values[$high] === null) {
            return null;
        }

        return $w[$high] > $w[$low] ? $values[$low] + ($values[$high] - $values[$low]) * ($wavelength - $w[$low]) / ($w[$high] - $w[$low]) : $values[$low];
    }
}
