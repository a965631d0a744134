<?php

namespace Chorometra\Demo;

use Chorometra\Core\Correct\Light\Sun;
use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\SlopeLight;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

/** The landscape as the made-up satellite Velisande-1 sees it: counts, packed as a level-1 bundle. */
final class OpticalScene
{
    public const ROLES = ['blue', 'green', 'red', 'nir', 'swir1', 'swir2', 'pan', 'thermal1'];

    private const EPSG = 32632;

    private const WEST = 431_000.0;

    private const NORTH = 6_072_000.0;

    private const GAIN = 2.5e-5;

    private const OFFSET = -0.05;

    /** Mean solar irradiance outside the atmosphere, W m⁻² µm⁻¹; from memory, rounded. */
    private const SOLAR = [1990.0, 1830.0, 1545.0, 960.0, 238.0, 82.0, 1720.0];

    /** Centre and width of each band in µm, as the sensor's profile has them. */
    private const BANDS = [[0.483, 0.065], [0.561, 0.06], [0.657, 0.04], [0.864, 0.035], [1.612, 0.09], [2.204, 0.18], [0.592, 0.17]];

    /** Share of the light that comes from the whole sky. */
    private const SKYLIGHT = 0.2;

    private const THERMAL = ['gain' => 3.4e-4, 'offset' => 0.1, 'k1' => 790.0, 'k2' => 1325.0];

    private readonly ?Clouds $clouds;

    public function __construct(
        private readonly Landscape $landscape,
        private readonly string $date,
        private readonly string $sky,
        private readonly float $sunElevation,
        private readonly float $sunAzimuth,
        private readonly int $seed,
        private readonly float $share = 0.0,
        private readonly float $season = 1.0,
        private readonly ?Window $window = null,
        private readonly string $time = '10:41:22',
        private readonly int $east = 0,
        private readonly int $south = 0,
        private readonly bool $scratches = false,
    ) {
        $this->clouds = Clouds::over(Landscape::SIZE, 10.0, $share, $sunElevation, $sunAzimuth, $seed + 77);
    }

    public static function of(CatalogueScene $scene): self
    {
        return new self(
            Landscape::at($scene->later),
            substr($scene->datetime, 0, 10),
            $scene->sky,
            $scene->sunElevation,
            $scene->sunAzimuth,
            $scene->seed,
            $scene->clouds,
            $scene->season(),
            $scene->window,
            substr($scene->datetime, 11, 8),
            ($scene->seed % 5) - 2,
            (intdiv($scene->seed, 7) % 5) - 2,
            $scene->seed % 4 === 2,
        );
    }

    /** The whole landscape on pixels of so many metres. */
    public static function grid(int $pixel): Grid
    {
        $size = intdiv(Landscape::SIZE * 10, $pixel);

        return new Grid($size, $size, [self::WEST, (float) $pixel, 0.0, self::NORTH, 0.0, (float) -$pixel], self::EPSG);
    }

    /** The part of it that the scene saw. */
    private function seen(int $pixel): Window
    {
        $n = intdiv(Landscape::SIZE * 10, $pixel);
        $step = intdiv($pixel, 10);

        return $this->window === null
            ? new Window(0, 0, $n, $n)
            : new Window(
                intdiv($this->window->col, $step),
                intdiv($this->window->row, $step),
                intdiv($this->window->width, $step),
                intdiv($this->window->height, $step),
            );
    }

    /** Writes the bundle (tar.gz) and, beside it, the true cover at 20 m as a class map. */
    public function write(string $bundle, ?string $truth, Context $context): void
    {
        $folder = $context->folder().'/'.basename($bundle, '.tar.gz');
        Files::folder($folder);
        $name = 'VL1_ORVANE_'.str_replace('-', '', $this->date);
        $light = $this->light();
        foreach (self::ROLES as $index => $role) {
            $fine = $this->moved($role === 'thermal1' ? $this->temperatures() : $this->reflectances($index, $light));
            $wide = $role === 'pan' ? $fine : self::halve($fine, Landscape::SIZE);
            $counts = $role === 'thermal1' ? $this->thermalCounts($wide) : $this->counts($wide, $index);
            $this->raster("$folder/{$name}_B".($index + 1).'.tif', $role === 'pan' ? 10 : 20, $this->scratched($counts, $index), $context);
        }
        $this->raster("$folder/{$name}_Q.tif", 20, $this->quality(), $context);
        Files::write("$folder/{$name}_META.txt", $this->metadata($name));
        foreach (glob("$folder/*.stac.json") ?: [] as $sidecar) {
            unlink($sidecar);
        }
        $this->pack($folder, $bundle);
        Files::remove($folder);
        if ($truth !== null) {
            $this->truth($truth, $context);
        }
    }

    /**
     * What the second mission, Orlune-2, sees: green, red, red edge and nir at 40 m as scaled reflectance, zipped with a STAC Item.
     *
     * @param  array<string, mixed>  $properties
     */
    public function writeSecond(string $bundle, string $name, array $properties, Context $context): void
    {
        $folder = $context->folder().'/'.$name;
        Files::folder($folder);
        $light = $this->light();
        $wide = function (int $index) use ($light): array {
            return self::halve(self::halve($this->moved($this->clouded($this->grounds($index, $light), $index)), Landscape::SIZE), intdiv(Landscape::SIZE, 2));
        };
        [$green, $red, $nir] = [$wide(1), $wide(2), $wide(3)];
        $edge = array_map(fn (float $low, float $high): float => 0.55 * $low + 0.45 * $high, $red, $nir);
        $assets = [];
        $zip = new \ZipArchive;
        Files::folder(dirname($bundle));
        $zip->open("$bundle.part", \ZipArchive::CREATE | \ZipArchive::OVERWRITE);
        foreach (
            [['G', 'green', 0.56, $green], ['R', 'red', 0.665, $red], ['E', 'rededge', 0.705, $edge], ['N', 'nir', 0.842, $nir],
            ] as $index => [$letter, $common, $wavelength, $values]
        ) {
            $grain = Noise::grain(count($values), $this->seed + 40 + $index);
            foreach ($values as $k => $value) {
                $values[$k] = (int) max(1, round(10000 * ($value + 0.0012 * $grain[$k])));
            }
            $this->raster("$folder/{$name}_$letter.tif", 40, $values, $context);
            unlink("$folder/{$name}_$letter.stac.json");
            $assets[$letter] = [
                'href' => "./{$name}_$letter.tif",
                'type' => 'image/tiff; application=geotiff',
                'roles' => ['data', 'reflectance'],
                'eo:bands' => [['name' => $common, 'common_name' => $common, 'center_wavelength' => $wavelength]],
                'raster:bands' => [['scale' => 1.0e-4, 'offset' => 0.0]],
            ];
            $zip->addFile("$folder/{$name}_$letter.tif", "$name/{$name}_$letter.tif");
        }
        $zip->addFromString(
            "$name/$name.json",
            (string) json_encode(
                [
                    'type' => 'Feature',
                    'stac_version' => '1.0.0',
                    'id' => $name,
                    'geometry' => null,
                    'properties' => ['processing:level' => 'L2'] + $properties,
                    'links' => [],
                    'assets' => $assets,
                ],
                JSON_PRETTY_PRINT | JSON_UNESCAPED_SLASHES,
            ),
        );
        $zip->close();
        rename("$bundle.part", $bundle);
        Files::remove($folder);
    }

    /** @return list<float> reflectance of the ground itself at 20 m, in level light and without air */
    public function ground(int $band): array
    {
        $spectra = [0 => 0.0];
        foreach (Cover::cases() as $cover) {
            $spectra[$cover->value] = $cover->spectrum()[$band];
        }

        return self::halve(
            self::surface(
                $this->landscape->cover,
                $this->landscape->height,
                $this->landscape->texture,
                $this->landscape->field,
                array_fill(0, Landscape::SIZE ** 2, 1.0),
                $spectra,
            ),
            Landscape::SIZE,
        );
    }

    /** @return list<float> reflectance of the ground in its own light at 20 m, without air: what a correction of the air should find */
    public function lit(int $band): array
    {
        return self::halve($this->moved($this->grounds($band, $this->light())), Landscape::SIZE);
    }

    /** @return list<float> reflectance above the air at 20 m as it would be without clouds, and without the bank of haze unless it is wanted */
    public function cloudless(int $band, bool $hasBank = false): array
    {
        return self::halve($this->moved($this->through($this->grounds($band, $this->light()), $band, $hasBank)), Landscape::SIZE);
    }

    /** @return list<float> reflectance above the air at 10 m: what a sharpened band should be */
    public function fine(int $band): array
    {
        return $this->moved($this->reflectances($band, $this->light()));
    }

    /** @return list<int> counts of a band at 20 m with all its lines right */
    public function countsOf(int $band): array
    {
        return $this->counts(self::halve($this->moved($this->reflectances($band, $this->light())), Landscape::SIZE), $band);
    }

    /** @return list<float> light by slope over that on flat ground: from the sun by the cosine of incidence, and a share from the sky */
    private function light(): array
    {
        $n = Landscape::SIZE;
        [$incidence] = SlopeLight::over(Elevation::heights($this->landscape), new RowBlock($n, $n), self::grid(10), $this->sunElevation, $this->sunAzimuth);
        $flat = sin(deg2rad($this->sunElevation));
        foreach ($incidence as $k => $cosine) {
            $incidence[$k] = self::SKYLIGHT + (1 - self::SKYLIGHT) * ($cosine > 0.0 ? $cosine / $flat : 0.0);
        }

        return $incidence;
    }

    /**
     * The scene as far beside its place as its orbit was off, at 10 m.
     *
     * @template T of int|float
     *
     * @param  list<T>  $fine
     * @return list<T>
     */
    private function moved(array $fine): array
    {
        if ($this->east === 0 && $this->south === 0) {
            return $fine;
        }
        $n = Landscape::SIZE;
        $out = [];
        for ($y = 0; $y < $n; $y++) {
            $row = max(0, min($n - 1, $y - $this->south)) * $n;
            for ($x = 0; $x < $n; $x++) {
                $out[] = $fine[$row + max(0, min($n - 1, $x - $this->east))];
            }
        }

        return $out;
    }

    /**
     * Lines that the sensor got wrong, one of them lost.
     *
     * @param  list<int>  $counts
     * @return list<int>
     */
    private function scratched(array $counts, int $band): array
    {
        if (! $this->scratches || ($band !== 1 && $band !== 3)) {
            return $counts;
        }
        $n = (int) sqrt(count($counts));
        foreach ([[0.211, 1.12, 0], [0.4733, 0.0, 1], [0.4766, 1.0, 900], [0.702, 0.9, -300]] as [$at, $gain, $offset]) {
            $row = ((int) ($at * $n) + 17 * $band) * $n;
            for ($x = 0; $x < $n; $x++) {
                $counts[$row + $x] = max(0, (int) ($gain * $counts[$row + $x]) + ($gain > 0 ? $offset : 0));
            }
        }

        return $counts;
    }

    /**
     * Reflectance above the atmosphere at 10 m.
     *
     * @param  list<float>  $light
     * @return list<float>
     */
    private function reflectances(int $band, array $light): array
    {
        return $this->clouded($this->through($this->grounds($band, $light), $band), $band);
    }

    /**
     * @param  list<float>  $seen  reflectance at 10 m
     * @return list<float> with clouds over it
     */
    private function clouded(array $seen, int $band): array
    {
        return $this->clouds === null ? $seen : $this->clouds->on($seen, [0.66, 0.66, 0.67, 0.68, 0.52, 0.42, 0.66][$band]);
    }

    /**
     * Reflectance of the ground at 10 m in the light that falls on it, by season.
     *
     * @param  list<float>  $light
     * @return list<float>
     */
    private function grounds(int $band, array $light): array
    {
        $spectra = [0 => 0.0];
        foreach (Cover::cases() as $cover) {
            $own = $cover->spectrum()[$band];
            // what grows looks more like the ground under it out of season
            $dormant = $cover->grows() ? 0.5 * $own + 0.5 * Cover::Soil->spectrum()[$band] : $own;
            $spectra[$cover->value] = $this->season * $own + (1 - $this->season) * $dormant;
        }

        return self::surface($this->landscape->cover, $this->landscape->height, $this->landscape->texture, $this->landscape->field, $light, $spectra);
    }

    /**
     * The same seen from above the air, thicker where a bank of haze lies.
     *
     * @param  list<float>  $ground
     * @return list<float>
     */
    private function through(array $ground, int $band, bool $hasBank = true): array
    {
        $air = Air::on($this->date, $this->sky);
        $clear = $air->over(...[...self::BANDS[$band], $this->sunElevation]);
        $hazy = $air->over(...[...self::BANDS[$band], $this->sunElevation, 1.0]);
        $bank = $hasBank && $air->bank > 0 ? $this->bank() : [];
        [$gas, $path, $ways, $back] = [$clear->gas, $clear->path, $clear->down * $clear->up, $clear->spherical];
        [$path2, $ways2, $back2] = [$hazy->path, $hazy->down * $hazy->up, $hazy->spherical];
        foreach ($ground as $k => $value) {
            $above = $path + $ways * $value / (1.0 - $back * $value);
            if ($bank !== [] && $bank[$k] > 0.0) {
                $above += $bank[$k] * ($path2 + $ways2 * $value / (1.0 - $back2 * $value) - $above);
            }
            $ground[$k] = $gas * $above;
        }

        return $ground;
    }

    /** @return list<float> how much of the bank of haze lies over each place */
    private function bank(): array
    {
        $bank = Noise::field(Landscape::SIZE, Landscape::SIZE, [300 => 1.0, 120 => 0.35], $this->seed + 5);
        foreach ($bank as $k => $value) {
            $value = 3.0 * ($value - 0.5);
            $bank[$k] = $value < 0.0 ? 0.0 : ($value > 1.0 ? 1.0 : $value);
        }

        return $bank;
    }

    /**
     * @param  list<int>  $cover
     * @param  list<float>  $height
     * @param  list<float>  $texture
     * @param  list<float>  $field
     * @param  list<float>  $light
     * @param  array<int, float>  $spectra
     * @return list<float>
     */
    private static function surface(array $cover, array $height, array $texture, array $field, array $light, array $spectra): array
    {
        $out = array_fill(0, count($cover), 0.0);
        foreach ($cover as $k => $c) {
            if ($c < 3) {
                // the ground shines through as the water gets shallow
                $depth = ($height[$k] + 7.0) * 0.16;
                $depth = $depth < 0.0 ? 0.0 : ($depth > 1.0 ? 1.0 : $depth);
                $out[$k] = ($spectra[1] + $depth * ($spectra[2] - $spectra[1])) * (0.94 + 0.12 * $texture[$k]);
            } else {
                $grain = 0.76 + 0.48 * $texture[$k];
                $kind = $c === 6 || $c === 5 || $c === 7 ? 0.8 + 0.4 * (($field[$k] * 7.0) - (int) ($field[$k] * 7.0)) : 1.0;
                $out[$k] = $spectra[$c] * $grain * $kind * $light[$k];
            }
        }

        return $out;
    }

    /** @return list<float> */
    private function temperatures(): array
    {
        $kelvin = [0 => 0.0];
        foreach (Cover::cases() as $cover) {
            $kelvin[$cover->value] = $cover->spectrum()[7];
        }
        $out = [];
        foreach ($this->landscape->cover as $k => $c) {
            $out[] = $kelvin[$c] + 3.0 * ($this->landscape->texture[$k] - 0.5) - 14.0 * (1 - $this->season);
        }

        return $this->clouds === null ? $out : $this->clouds->on($out, 258.0);
    }

    /**
     * @param  list<float>  $values
     * @return list<float> means of 2 x 2 pixels: what lies at an edge is mixed
     */
    private static function halve(array $values, int $n): array
    {
        return Reduce::mean($values, $n, $n);
    }

    /**
     * @param  list<float>  $reflectance
     * @return list<int>
     */
    private function counts(array $reflectance, int $band): array
    {
        $grain = Noise::grain(count($reflectance), $this->seed + $band);
        $sine = sin(deg2rad($this->sunElevation));
        $out = [];
        foreach ($reflectance as $k => $value) {
            $out[] = (int) round((($value + 0.0006 * $grain[$k]) * $sine - self::OFFSET) / self::GAIN);
        }

        return $this->filled($out);
    }

    /**
     * @param  list<float>  $kelvin
     * @return list<int>
     */
    private function thermalCounts(array $kelvin): array
    {
        $out = [];
        foreach ($kelvin as $value) {
            $out[] = (int) round((self::THERMAL['k1'] / (exp(self::THERMAL['k2'] / $value) - 1) - self::THERMAL['offset']) / self::THERMAL['gain']);
        }

        return $this->filled($out);
    }

    /** @return list<int> bit 0 fill, bit 3 cloud, bit 4 shadow of a cloud, bit 6 clear, bit 7 water */
    private function quality(): array
    {
        $n = Landscape::SIZE;
        $out = [];
        for ($y = 0; $y < $n; $y += 2) {
            for ($x = 0; $x < $n; $x += 2) {
                $k = $y * $n + $x;
                $water = $this->landscape->cover[$k] <= 2 ? 128 : 0;
                $out[] =
                    $this->clouds !== null && $this->clouds->density[$k] > 0.3
                        ? 8
                        : ($this->clouds !== null && $this->clouds->shadow[$k] > 0.3
                            ? 16 + $water
                            : 64 + $water);
            }
        }

        return $this->filled($out, 1);
    }

    /**
     * The scene's slanting edge: no ground was seen there.
     *
     * @param  list<int>  $counts
     * @return list<int>
     */
    private function filled(array $counts, int $fill = 0): array
    {
        $n = (int) sqrt(count($counts));
        for ($y = 0; $y < $n; $y++) {
            for ($x = 0, $end = (int) (0.02 * ($n - $y)); $x < $end; $x++) {
                $counts[$y * $n + $x] = $fill;
            }
        }

        return $counts;
    }

    /** @param  list<int>  $counts  of the whole landscape */
    private function raster(string $path, int $pixel, array $counts, Context $context): void
    {
        $part = $this->seen($pixel);
        $whole = self::grid($pixel);
        $spec = new RasterSpec($whole->crop($part), [new Band], SampleType::UInt16, null);
        (new Production(['result' => ['path' => $path, 'spec' => $spec]], function (Window $window) use ($counts, $part, $whole): array {
            $values = [];
            for ($row = $window->row; $row < $window->row + $window->height; $row++) {
                array_push($values, ...array_slice($counts, ($part->row + $row) * $whole->width + $part->col, $part->width));
            }

            return ['result' => [$values]];
        }, $context))->run([], 'writing a band');
    }

    private function truth(string $path, Context $context): void
    {
        $codes = Reduce::mode($this->landscape->cover, Landscape::SIZE, Landscape::SIZE);
        $classes = [];
        foreach (Cover::cases() as $cover) {
            $classes[$cover->value] = ['name' => $cover->label(), 'colour' => $cover->colour()];
        }
        $spec = RasterSpec::classes(self::grid(20), new Legend($classes), ['datetime' => $this->date.'T10:41:22Z']);
        (new Production(['result' => ['path' => $path, 'spec' => $spec]], fn (Window $window): array => [
            'result' => [array_slice($codes, $window->row * $spec->grid->width, $window->pixels())],
        ], $context))->run(['simulated' => true], 'writing the truth');
    }

    private function metadata(string $name): string
    {
        $distance = round(Sun::distance(new \DateTimeImmutable($this->date."T{$this->time}Z")), 6);
        $lines = [
            'GROUP = SCENE',
            '  SPACECRAFT = "VELISANDE-1"',
            '  INSTRUMENT = "QUILLON"',
            '  PROCESSING_LEVEL = "1"',
            "  SCENE_ID = \"$name\"",
            "  SENSED_DATE = $this->date",
            "  SENSED_TIME = \"{$this->time}.5Z\"",
            "  SUN_ELEVATION = $this->sunElevation",
            "  SUN_AZIMUTH = $this->sunAzimuth",
            "  EARTH_SUN_DISTANCE = $distance",
            '  CLOUD_COVER = '.round(100 * $this->share, 1),
            'END_GROUP = SCENE',
            'GROUP = BANDS',
        ];
        foreach (self::ROLES as $index => $role) {
            $n = $index + 1;
            $lines[] = "  BAND_{$n}_FILE = \"{$name}_B$n.tif\"";
            if ($role === 'thermal1') {
                array_push(
                    $lines,
                    "  BAND_{$n}_RADIANCE_GAIN = ".self::THERMAL['gain'],
                    "  BAND_{$n}_RADIANCE_OFFSET = ".self::THERMAL['offset'],
                    "  BAND_{$n}_K1 = ".self::THERMAL['k1'],
                    "  BAND_{$n}_K2 = ".self::THERMAL['k2'],
                );
            } else {
                $factor = (self::SOLAR[$index] ?? 0.0) / (M_PI * $distance ** 2);
                array_push(
                    $lines,
                    "  BAND_{$n}_REFLECTANCE_GAIN = ".sprintf('%.8g', self::GAIN),
                    "  BAND_{$n}_REFLECTANCE_OFFSET = ".self::OFFSET,
                    "  BAND_{$n}_RADIANCE_GAIN = ".sprintf('%.8g', self::GAIN * $factor),
                    "  BAND_{$n}_RADIANCE_OFFSET = ".sprintf('%.8g', self::OFFSET * $factor),
                );
            }
        }
        array_push($lines, "  BAND_Q_FILE = \"{$name}_Q.tif\"", 'END_GROUP = BANDS', 'END', '');

        return implode("\n", $lines);
    }

    private function pack(string $folder, string $bundle): void
    {
        Files::folder(dirname($bundle));
        $part = "$bundle.part";
        $command = sprintf(
            'tar --sort=name --mtime=%s --owner=0 --group=0 --numeric-owner -C %s -cf - %s | gzip -n -1 > %s',
            escapeshellarg($this->date),
            escapeshellarg(dirname($folder)),
            escapeshellarg(basename($folder)),
            escapeshellarg($part),
        );
        exec('bash -o pipefail -c '.escapeshellarg($command), $output, $status);
        if ($status !== 0 || ! rename($part, $bundle)) {
            throw Files::full($bundle);
        }
    }
}
