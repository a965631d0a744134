<?php

namespace Chorometra\Core\Raster;

use Chorometra\Core\Geo\Window;

/** Magnitude and phase seen as real and imaginary parts, which can be mixed; bands of other kinds as they are. */
final readonly class Cartesian implements Computed
{
    use Wrapped;

    private RasterSpec $spec;

    public function __construct(private Image $image)
    {
        $spec = $image->spec();
        $bands = array_map(fn (Band $band): Band => new Band($band->role, $band->name, $band->wavelength, $band->bandwidth, null, part: match ($band->part) {
            'magnitude' => 'real',
            'phase' => 'imaginary',
            default => $band->part,
        }), $spec->bands);
        $this->spec = $spec->measured($bands);
    }

    public static function applies(Image $image): bool
    {
        return array_filter($image->spec()->bands, fn (Band $band): bool => $band->part === 'phase') !== [];
    }

    /** Of a magnitude the band of its phase, and the other way round: the one of the same role beside it. */
    public static function partner(RasterSpec $spec, int $band): int
    {
        $wanted = $spec->bands[$band]->part === 'magnitude' || $spec->bands[$band]->part === 'real' ? $band + 1 : $band - 1;

        return isset($spec->bands[$wanted]) && $spec->bands[$wanted]->role === $spec->bands[$band]->role ? $wanted : $band;
    }

    public function levels(): array
    {
        return [$this->image->levels()[0]];
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        return Codec::encode($this->values($band, $window), SampleType::Float32, NAN);
    }

    public function values(int $band, Window $window): array
    {
        $spec = $this->image->spec();
        $own = Values::of($this->image, $band, $window);
        $partner = self::partner($spec, $band);
        if ($partner === $band || ! in_array($spec->bands[$band]->part, ['magnitude', 'phase'], true)) {
            return $own;
        }
        $other = Values::of($this->image, $partner, $window);

        return $spec->bands[$band]->part === 'magnitude' ? self::real($own, $other, count($own)) : self::imaginary($other, $own, count($own));
    }

    /**
     * @param  list<float>  $magnitude
     * @param  list<float>  $phase
     * @return list<float>
     */
    private static function real(array $magnitude, array $phase, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $magnitude[$i] *= cos($phase[$i]);
        }

        return $magnitude;
    }

    /**
     * @param  list<float>  $magnitude
     * @param  list<float>  $phase
     * @return list<float>
     */
    private static function imaginary(array $magnitude, array $phase, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $magnitude[$i] *= sin($phase[$i]);
        }

        return $magnitude;
    }

    /**
     * Real and imaginary parts back to a magnitude (or phase).
     *
     * @param  list<float>  $real
     * @param  list<float>  $imaginary
     * @return list<float>
     */
    public static function polar(array $real, array $imaginary, bool $phase): array
    {
        $count = count($real);
        for ($i = 0; $i < $count; $i++) {
            $real[$i] = $phase ? atan2($imaginary[$i], $real[$i]) : sqrt($real[$i] * $real[$i] + $imaginary[$i] * $imaginary[$i]);
        }

        return $real;
    }
}
