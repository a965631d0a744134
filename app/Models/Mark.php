<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Collection;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Database\Eloquent\Relations\HasMany;

/**
 * A point, line or area that a person drew, or was asked to label.
 *
 * @property int $id
 * @property int $drawing_id
 * @property string $key given by whoever draws it, so that what was taken away comes back as the same
 * @property int $number
 * @property array<string, mixed> $geometry GeoJSON in longitude and latitude
 * @property string|null $class what it is
 * @property string|null $note
 * @property string|null $second what it may be as well
 * @property string|null $sure how sure that is: sure, fairly or unsure
 * @property bool $skipped looked at, and left without a class
 * @property array<string, mixed>|null $properties what the step that drew it says of it
 * @property Drawing|null $drawing
 * @property Collection<int, Label> $labels what each person said of it, who said something first in front
 */
class Mark extends Model
{
    /** @var array<string, string> */
    protected $casts = ['geometry' => 'array', 'properties' => 'array', 'skipped' => 'boolean'];

    /** @var array<string, mixed> */
    protected $attributes = ['skipped' => false];

    /** @return BelongsTo<Drawing, $this> */
    public function drawing(): BelongsTo
    {
        return $this->belongsTo(Drawing::class);
    }

    /** @return HasMany<Label, $this> */
    public function labels(): HasMany
    {
        return $this->hasMany(Label::class)->orderBy('id');
    }

    /** Tells one state of what is drawn from another. */
    public function stamp(): string
    {
        return hash('xxh3', (string) json_encode([$this->geometry, $this->class, $this->note]));
    }

    public function getRouteKeyName(): string
    {
        return 'key';
    }
}
