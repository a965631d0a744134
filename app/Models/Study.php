<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Collection;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Eloquent\Relations\HasMany;

/**
 * One piece of work on one area.
 *
 * @property int $id
 * @property string $name
 * @property int $version grows with every change, so that browsers can ask for news
 * @property array<string, mixed>|null $look what the views show
 * @property int|null $epsg CRS of the views, taken over from the first image
 * @property \Illuminate\Support\Carbon $updated_at
 * @property Collection<int, Step> $steps
 * @property Collection<int, Peg> $pegs
 * @property Collection<int, Drawing> $drawings
 */
class Study extends Model
{
    /** @var array<string, string> */
    protected $casts = ['look' => 'array'];

    /** @return HasMany<Step, $this> */
    public function steps(): HasMany
    {
        return $this->hasMany(Step::class)->orderBy('number');
    }

    /** @return HasMany<Item, $this> */
    public function items(): HasMany
    {
        return $this->hasMany(Item::class);
    }

    /** @return HasMany<Peg, $this> */
    public function pegs(): HasMany
    {
        return $this->hasMany(Peg::class)->orderBy('id');
    }

    /** @return HasMany<Drawing, $this> */
    public function drawings(): HasMany
    {
        return $this->hasMany(Drawing::class)->orderBy('id');
    }

    /** @return HasMany<Key, $this> */
    public function keys(): HasMany
    {
        return $this->hasMany(Key::class)->orderBy('id');
    }

    /** @return HasMany<LegendClass, $this> */
    public function legend(): HasMany
    {
        return $this->hasMany(LegendClass::class)->orderBy('id');
    }

    public function folder(): string
    {
        return config()->string('chorometra.files')."/studies/$this->id";
    }

    /** Tells browsers that something changed, and with which step. */
    public function changed(?int $step = null): void
    {
        // the step first: who asks in between has it with the next version
        if ($step !== null) {
            Step::query()->toBase()->where('id', $step)->update(['version' => static::query()->whereKey($this->id)->selectRaw('version + 1')]);
        }
        static::query()->whereKey($this->id)->increment('version');
    }
}
