<?php

namespace App\Models;

use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Registry;
use Illuminate\Database\Eloquent\Collection;
use Illuminate\Database\Eloquent\Model;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Database\Eloquent\Relations\HasMany;

/**
 * One computation that was set up, run or tried.
 *
 * @property int $id
 * @property int $study_id
 * @property int $number
 * @property string $kind
 * @property array<string, array{step?: int, output?: string, upload?: string, demo?: string, drawing?: int, key?: int}> $inputs
 * @property array<string, mixed> $settings
 * @property array<string, int>|null $used what stood at each input in the last run: ids of items, stamps of drawings
 * @property string $state
 * @property float $progress
 * @property string|null $doing
 * @property array<string, list<list<float|int>>>|null $growing points of curves while it runs, by figure
 * @property array<string, mixed>|null $figures
 * @property string|null $note
 * @property string|null $problem
 * @property string|null $about the setting or input that the problem is about
 * @property bool $stop
 * @property bool $within whether it is kept to the study's area
 * @property int|null $pid
 * @property string|null $process tells its process from others of that number
 * @property int $runs
 * @property int $version that of the study when it last changed, beside its progress
 * @property \Illuminate\Support\Carbon|null $started_at
 * @property \Illuminate\Support\Carbon|null $finished_at
 * @property Study|null $study
 * @property Collection<int, Item> $items
 */
class Step extends Model
{
    use ChangesStudy;

    public const DRAFT = 'draft';

    public const WAITING = 'waiting';

    public const RUNNING = 'running';

    public const DONE = 'done';

    public const FAILED = 'failed';

    public const STOPPED = 'stopped';

    public const STALE = 'stale';

    /** @var array<string, string> */
    protected $casts = [
        'inputs' => 'array',
        'settings' => 'array',
        'used' => 'array',
        'figures' => 'array',
        'growing' => 'array',
        'stop' => 'boolean',
        'within' => 'boolean',
        'progress' => 'float',
        'started_at' => 'datetime',
        'finished_at' => 'datetime',
    ];

    /** @return BelongsTo<Study, $this> */
    public function study(): BelongsTo
    {
        return $this->belongsTo(Study::class);
    }

    /** @return HasMany<Item, $this> */
    public function items(): HasMany
    {
        return $this->hasMany(Item::class);
    }

    /** What it drew for people to label. */
    public function drawing(): ?Drawing
    {
        return Drawing::query()->where('step_id', $this->id)->first();
    }

    /** How many of the marks that it drew a person has labelled. */
    public function labelled(): int
    {
        $draws = array_filter($this->declaration()->outputs, fn (Port $port): bool => $port->type === PortType::Points) !== [];

        return $draws ? (int) $this->drawing()?->marks()->whereNotNull('class')->count() : 0;
    }

    protected function changedStep(): ?int
    {
        $progress = ['progress', 'doing', 'growing', 'stop', 'updated_at'];

        return $this->exists && ($this->wasRecentlyCreated || array_diff(array_keys($this->getChanges()), $progress) !== []) ? $this->id : null;
    }

    public function declaration(): Declaration
    {
        return Registry::declaration($this->kind);
    }

    public function isBusy(): bool
    {
        return $this->state === self::WAITING || $this->state === self::RUNNING;
    }

    public function fail(string $problem, ?string $about = null): void
    {
        $this->update([
            'state' => self::FAILED,
            'problem' => $problem,
            'about' => $about,
            'pid' => null,
            'doing' => null,
            'growing' => null,
            'finished_at' => now(),
        ]);
    }
}
