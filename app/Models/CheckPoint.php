<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Eloquent\Relations\BelongsTo;

/**
 * A drawn place at which the analyst says what is really there.
 *
 * @property int $id
 * @property int $step_id
 * @property int $number
 * @property float $longitude
 * @property float $latitude
 * @property float $x map coordinates
 * @property float $y
 * @property string|null $stratum
 * @property string|null $label
 * @property string|null $note
 * @property bool $skipped
 * @property Step|null $step
 */
class CheckPoint extends Model
{
    /** @var array<string, string> */
    protected $casts = ['skipped' => 'boolean'];

    protected static function booted(): void
    {
        static::updated(fn (self $point) => $point->step?->study?->changed($point->step_id));
    }

    /** @return BelongsTo<Step, $this> */
    public function step(): BelongsTo
    {
        return $this->belongsTo(Step::class);
    }
}
