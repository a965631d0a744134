<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Model;

/**
 * An imagery archive that was added: any STAC API.
 *
 * @property int $id
 * @property string $name
 * @property string $url
 */
class Archive extends Model {}
