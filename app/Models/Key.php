<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Eloquent\Relations\BelongsTo;

/**
 * Questions that sort segments into classes, as they are being made on the desk. It can be the input of steps; what has come of it since
 * they ran makes them stale.
 *
 * @property int $id
 * @property int $study_id
 * @property string $name
 * @property array<string, mixed> $document held to the schema of keys
 * @property int $stamp tells one state of it from another
 * @property Study|null $study
 */
class Key extends Model
{
    use ChangesStudy;

    /** @var array<string, string> */
    protected $casts = ['document' => 'array'];

    /** @return BelongsTo<Study, $this> */
    public function study(): BelongsTo
    {
        return $this->belongsTo(Study::class);
    }
}
