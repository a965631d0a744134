<?php

namespace App\Models;

use Illuminate\Database\Eloquent\Model;

/**
 * A class of the study's legend: it keeps its name and colour through every step.
 *
 * @property int $id
 * @property int $study_id
 * @property string $name
 * @property string $colour
 */
class LegendClass extends Model {}
