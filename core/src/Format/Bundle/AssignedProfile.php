<?php

namespace Chorometra\Core\Format\Bundle;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;

/** Bands assigned by hand, over whatever the metadata say of the scene. */
final readonly class AssignedProfile implements Profile
{
    private const GROUPS = ['pan' => 'pan', 'cirrus' => 'cirrus', 'thermal1' => 'thermal', 'thermal2' => 'thermal', 'quality' => 'quality'];

    /** @param  array<string, string>  $files  by role */
    private function __construct(private array $files, private ?Profile $other) {}

    /**
     * @param  list<string>  $assigned  “red=B4.tif”
     *
     * @throws Problem where an assignment can't be read
     */
    public static function of(array $assigned, ?Profile $other): self
    {
        $files = [];
        foreach ($assigned as $pair) {
            [$role, $file] = explode('=', $pair, 2) + [1 => ''];
            if ($file === '' || ! in_array($role, Band::ROLES, true)) {
                throw Problem::call("“{$pair}” assigns no band: write it as red=B4.tif; roles are ".implode(', ', Band::ROLES).'.', 'assign');
            }
            $files[$role] = $file;
        }

        return new self($files, $other);
    }

    public function title(): string
    {
        return ($this->other?->title() ?? 'sensor unknown').', bands assigned by hand';
    }

    public function properties(): array
    {
        return $this->other?->properties() ?? [];
    }

    public function bands(string $group): array
    {
        $found = [];
        foreach ($this->files as $role => $file) {
            if ((self::GROUPS[$role] ?? 'multispectral') === $group) {
                $found[] = ['file' => $file, 'pattern' => false, 'band' => new Band($role, $role, unit: $role === 'quality' ? null : 'counts')];
            }
        }

        return $found;
    }

    public function fill(string $group): ?float
    {
        return $this->other?->fill($group);
    }
}
