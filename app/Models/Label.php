<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Model;

/**
 * What one person says of a mark.
 *
 * @property int $id
 * @property int $mark_id
 * @property string $person empty for what was said together
 * @property string|null $class
 * @property string|null $second what it may be as well
 * @property string|null $sure how sure that is: sure, fairly or unsure
 * @property bool $skipped looked at, and left without a class
 */
class Label extends Model
{
    /** @var array<string, string> */
    protected $casts = ['skipped' => 'boolean'];

    /** @var array<string, mixed> */
    protected $attributes = ['skipped' => false];
}
