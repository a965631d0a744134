<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Eloquent\Relations\BelongsTo;

/**
 * A place the analyst marked to read values at.
 *
 * @property int $id
 * @property int $study_id
 * @property string $letter
 * @property string|null $name
 * @property string|null $signature what it is thought to be: the signature its spectrum is compared with
 * @property float $x map coordinates
 * @property float $y
 * @property Study|null $study
 */
class Peg extends Model
{
    use ChangesStudy;

    /** @return BelongsTo<Study, $this> */
    public function study(): BelongsTo
    {
        return $this->belongsTo(Study::class);
    }
}
