<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Collection;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Database\Eloquent\Relations\HasMany;

/**
 * What people have drawn or labelled under one name: the study's area, its training areas, the check points of a step. It can be the
 * input of steps; what has come of it since they ran makes them stale.
 *
 * @property int $id
 * @property int $study_id
 * @property int|null $step_id the step that drew the marks; null where a person did
 * @property string $name
 * @property int $stamp tells one state of its marks from another; 0 where there are none
 * @property Study|null $study
 * @property Step|null $step
 * @property Collection<int, Mark> $marks
 */
class Drawing extends Model
{
    /** Name of the drawing that says what the study is about. */
    public const AREA = 'area';

    /** @var array<string, mixed> */
    protected $attributes = ['stamp' => 0];

    /** @return BelongsTo<Study, $this> */
    public function study(): BelongsTo
    {
        return $this->belongsTo(Study::class);
    }

    /** @return BelongsTo<Step, $this> */
    public function step(): BelongsTo
    {
        return $this->belongsTo(Step::class);
    }

    /** @return HasMany<Mark, $this> */
    public function marks(): HasMany
    {
        return $this->hasMany(Mark::class)->orderBy('number')->orderBy('id');
    }

    /** To be called when its marks have changed: browsers hear of it, and steps that used it may be stale. */
    public function restamp(): void
    {
        $hash = hash_init('xxh3');
        $count = 0;
        foreach ($this->marks()->toBase()->get() as $mark) {
            hash_update($hash, serialize([$mark->geometry, $mark->class, $mark->properties, ...array_filter([$mark->second ?? null])]));
            $count++;
        }
        // as many bits as a number of JSON carries exactly
        $this->update(['stamp' => $count === 0 ? 0 : (int) hexdec(substr(hash_final($hash), 0, 13))]);
        $this->study?->changed($this->step_id);
    }
}
