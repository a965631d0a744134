<?php

namespace Chorometra\Core\Compare\Dates;

use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;

/** Two images of one place on one grid, and which bands of the one are held against which of the other. */
final readonly class TwoDates
{
    private const MOST_BANDS = 64;

    /** @param  list<array{int, int}>  $bands  of the earlier and of the later image */
    private function __construct(public Image $before, public Image $after, public array $bands) {}

    /** @return list<Port> */
    public static function ports(): array
    {
        return [
            new Port('before', PortType::Image, 'The earlier date.', sample: 'reflectance', wants: Wants::Before),
            new Port('after', PortType::Image, 'The later date, on the same grid.', sample: 'later', wants: Wants::After),
            new Port('stable', PortType::Outlines, 'Area without real change; the change found there is reported separately.', required: false,
                sample: 'area'),
        ];
    }

    public static function setting(): Setting
    {
        return Setting::texts('bands', 'Bands by role or number, in both dates. Empty: all common bands.');
    }

    /**
     * @param  int  $least  bands that it takes
     *
     * @throws Problem where they lie on two grids, or have no such bands
     */
    public static function of(Call $call, int $least = 1): self
    {
        [$before, $after] = [$call->image('before'), $call->image('after')];
        foreach (['before' => $before, 'after' => $after] as $name => $image) {
            if ($image->spec()->content !== Content::Image) {
                throw Problem::input("{$image->name()} contains class codes, whose differences are meaningless: use compare.classes for class maps.", $name);
            }
        }
        OneGrid::check([$before, $after]);
        $bands = $call->texts('bands') === []
            ? self::shared($before, $after)
            : array_map(fn (string $name): array => [Call::bandOf($before, $name, 'bands'), Call::bandOf($after, $name, 'bands')], $call->texts('bands'));
        if (count($bands) !== count(array_unique(array_map(fn (array $pair): string => implode(' ', $pair), $bands)))) {
            throw Problem::call('A band is named twice; name it once.', 'bands');
        }
        if ($bands === []) {
            throw Problem::input(
                "{$before->name()} has {$before->spec()->bandList()} and {$after->name()} {$after->spec()->bandList()}: they have no band in common. "
                    .'Name bands by number with the setting bands.',
                'bands',
            );
        }
        if (count($bands) < $least || count($bands) > self::MOST_BANDS) {
            throw Problem::call(
                sprintf('It takes %s bands and there %s %d.', count($bands) < $least ? "at least $least" : 'at most '.self::MOST_BANDS,
                    count($bands) === 1 ? 'is' : 'are', count($bands)),
                'bands',
            );
        }

        return new self($before, $after, $bands);
    }

    /**
     * Bands of the same role; where none has a role, those of the same number.
     *
     * @return list<array{int, int}>
     */
    private static function shared(Image $before, Image $after): array
    {
        $measured = fn (Image $image): array => array_filter(
            $image->spec()->bands,
            fn (Band $band): bool => $band->role !== 'quality' && $band->part !== 'phase',
        );
        [$one, $other] = [$measured($before), $measured($after)];
        $byRole = [];
        foreach ($one as $a => $band) {
            foreach ($other as $b => $same) {
                if ($band->role !== null && $band->role === $same->role && $band->part === $same->part) {
                    $byRole[] = [$a, $b];

                    continue 2;
                }
            }
        }
        $roles = fn (array $bands): array => array_filter($bands, fn (Band $band): bool => $band->role !== null);
        if ($byRole !== [] || ($roles($one) !== [] && $roles($other) !== [])) {
            return $byRole;
        }

        return array_map(fn (int $band): array => [$band, $band], array_values(array_intersect(array_keys($one), array_keys($other))));
    }

    /** What is made of both: on the later date's grid, with what is told of both alike. */
    public function spec(): RasterSpec
    {
        [$before, $after] = [$this->before->spec(), $this->after->spec()];

        return $after->with(properties: Properties::over([$before->properties, $after->properties]));
    }

    /** @return list<string> what the bands are called */
    public function labels(): array
    {
        return array_map(fn (array $pair): string => $this->before->spec()->bands[$pair[0]]->label($pair[0] + 1), $this->bands);
    }

    /**
     * Which of the bands a person means, by role or number.
     *
     * @throws Problem where the band is not among those compared
     */
    public function place(string $name, string $setting): int
    {
        $band = Call::bandOf($this->before, $name, $setting);
        $place = array_search($band, array_column($this->bands, 0), true);

        return $place === false ? throw Problem::call("The band $name is not among those that are compared.", $setting) : (int) $place;
    }

    /** The unit of a band, where both dates have the same. */
    public function unit(int $place): ?string
    {
        [$before, $after] = $this->bands[$place];
        $unit = $this->before->spec()->bands[$before]->unit;

        return $unit === $this->after->spec()->bands[$after]->unit ? $unit : null;
    }

    /** @return list<Reading> */
    public function readings(): array
    {
        return [new Reading($this->before, array_column($this->bands, 0)), new Reading($this->after, array_column($this->bands, 1))];
    }

    public function pixels(): int
    {
        return $this->before->spec()->grid->width * $this->before->spec()->grid->height;
    }

    /** A pass over both. */
    public function pass(): Pass
    {
        return new Pass($this->before->spec()->grid, 2 * count($this->bands));
    }

    /** @return list<list<float>> the bands of the earlier date in a window, then those of the later */
    public function values(Window $window): array
    {
        $values = [];
        foreach ([$this->before, $this->after] as $date => $image) {
            foreach (array_column($this->bands, $date) as $band) {
                $values[] = Values::of($image, $band, $window);
            }
        }

        return $values;
    }
}
