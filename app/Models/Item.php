<?php

namespace App\Models;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Eloquent\Relations\BelongsTo;

/**
 * Whatever a step takes or makes. Items never change: run again = new item.
 *
 * @property int $id
 * @property int $study_id
 * @property int|null $step_id null for trials
 * @property string $output
 * @property string $type
 * @property string $path
 * @property array<string, mixed> $meta
 * @property Study|null $study
 * @property Step|null $step
 */
class Item extends Model
{
    use ChangesStudy;

    /** @var array<string, string> */
    protected $casts = ['meta' => 'array'];

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

    /** Where its features are kept as views want them. */
    public function view(): string
    {
        return config()->string('chorometra.files')."/studies/$this->study_id/views/$this->id.features";
    }

    protected function changedStep(): ?int
    {
        return $this->step_id;
    }

    public function isRaster(): bool
    {
        return in_array($this->type, ['image', 'classes', 'segments'], true);
    }

    public function image(): GeoTiffImage
    {
        return new GeoTiffImage($this->path);
    }
}
