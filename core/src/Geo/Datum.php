<?php

namespace Chorometra\Core\Geo;

/**
 * A geodetic datum: its ellipsoid, and the way from it to WGS 84 by a published Helmert transformation.
 *
 * Source: EPSG Guidance Note 7-2, method 1033 (position vector) with its small angles, and 9602 (geographic to geocentric); back with the
 * signs of all parameters turned, which comes back to a few millimetres.
 */
final readonly class Datum
{
    /**
     * @param  list<float>  $shift  dx, dy, dz in metres, rx, ry, rz in arc seconds, scale in parts per million
     * @param  float|null  $accuracy  of the transformation in metres; null where none is published
     * @param  string  $operation  its EPSG code, or where else it comes from
     */
    public function __construct(public string $name, public Ellipsoid $ellipsoid, private array $shift, public ?float $accuracy, public string $operation) {}

    /**
     * A datum of which no more than the ellipsoid is told, and perhaps its own way to WGS 84.
     *
     * @param  list<float>  $shift  three or seven numbers as in the constructor, or none
     */
    public static function unnamed(Ellipsoid $ellipsoid, array $shift = []): self
    {
        $isWorld = abs($ellipsoid->axis - 6_378_137.0) < 0.01 && abs($ellipsoid->inverseFlattening - 298.2572) < 1e-4;

        return new self(
            $isWorld ? 'a datum on the ellipsoid of WGS 84' : sprintf('a datum without a name on an ellipsoid of %.3f m', $ellipsoid->axis),
            $ellipsoid,
            array_slice([...$shift, ...array_fill(0, 7, 0.0)], 0, 7),
            $isWorld && $shift === [] ? 1.0 : null,
            $shift === [] ? '' : 'the file itself',
        );
    }

    /** Whether places are taken for those of WGS 84 as they are. */
    public function isWgs84(): bool
    {
        return array_filter($this->shift) === [];
    }

    /** One clause on what becomes of places on this datum. */
    public function words(): string
    {
        $within = $this->accuracy === null ? 'by how much they differ is not published' : sprintf('right to about %g m', max(1.0, $this->accuracy));

        return match (true) {
            $this->name === 'WGS 84' => 'WGS 84',
            $this->isWgs84() => "$this->name, taken for WGS 84: $within",
            default => "$this->name, transformed to WGS 84 by ".(ctype_digit($this->operation) ? "EPSG:$this->operation" : $this->operation).": $within",
        };
    }

    /** The shift in the notation of PROJ, which the browser reads; nothing where places are taken as they are. */
    public function notation(): string
    {
        return $this->isWgs84() ? '' : ' +towgs84='.implode(',', $this->shift);
    }

    /** @return array{float, float} longitude and latitude on WGS 84, in degrees */
    public function toWgs84(float $longitude, float $latitude): array
    {
        [$x, $y, $z] = self::geocentric($longitude, $latitude, $this->ellipsoid);
        [$dx, $dy, $dz, $rx, $ry, $rz, $scale] = $this->parameters();

        return self::geographic(
            $dx + $scale * ($x - $rz * $y + $ry * $z),
            $dy + $scale * ($rz * $x + $y - $rx * $z),
            $dz + $scale * ($rx * $y - $ry * $x + $z),
            new Ellipsoid(),
        );
    }

    /** @return array{float, float} longitude and latitude on this datum, in degrees */
    public function fromWgs84(float $longitude, float $latitude): array
    {
        [$x, $y, $z] = self::geocentric($longitude, $latitude, new Ellipsoid);
        [$dx, $dy, $dz, $rx, $ry, $rz, $scale] = $this->parameters();
        [$x, $y, $z] = [($x - $dx) / $scale, ($y - $dy) / $scale, ($z - $dz) / $scale];

        return self::geographic($x + $rz * $y - $ry * $z, $y - $rz * $x + $rx * $z, $z + $ry * $x - $rx * $y, $this->ellipsoid);
    }

    /** @return array{float, float, float, float, float, float, float} metres, radians, factor */
    private function parameters(): array
    {
        [$dx, $dy, $dz, $rx, $ry, $rz, $ppm] = $this->shift;

        return [$dx, $dy, $dz, deg2rad($rx / 3600), deg2rad($ry / 3600), deg2rad($rz / 3600), 1 + 1e-6 * $ppm];
    }

    /** @return array{float, float, float} metres, at no height */
    public static function geocentric(float $longitude, float $latitude, Ellipsoid $ellipsoid): array
    {
        [$phi, $lambda] = [deg2rad($latitude), deg2rad($longitude)];
        $nu = $ellipsoid->axis / sqrt(1 - $ellipsoid->e2 * sin($phi) ** 2);

        return [$nu * cos($phi) * cos($lambda), $nu * cos($phi) * sin($lambda), (1 - $ellipsoid->e2) * $nu * sin($phi)];
    }

    /** @return array{float, float} longitude and latitude in degrees */
    private static function geographic(float $x, float $y, float $z, Ellipsoid $ellipsoid): array
    {
        $p = hypot($x, $y);
        $phi = atan2($z, $p * (1 - $ellipsoid->e2));
        for ($round = 0; $round < 10; $round++) {
            $nu = $ellipsoid->axis / sqrt(1 - $ellipsoid->e2 * sin($phi) ** 2);
            $next = atan2($z + $ellipsoid->e2 * $nu * sin($phi), $p);
            $change = abs($next - $phi);
            $phi = $next;
            if ($change < 1e-15) {
                break;
            }
        }

        return [rad2deg(atan2($y, $x)), rad2deg($phi)];
    }
}
