<?php

namespace App\Studies;

use App\Models\Label;
use App\Models\Mark;
use Illuminate\Support\Facades\DB;

/**
 * What several people said of one mark, and what of that counts.
 *
 * What was said by nobody in particular was said together, and counts. Else the class that most people said; of those that as many said the one
 * that was said first.
 */
final class LabelConsensus
{
    public const SURE = ['sure', 'fairly', 'unsure'];

    /** What a person says, as far as it is told. */
    private const TOLD = ['class' => null, 'second' => null, 'sure' => null, 'skipped' => false];

    /**
     * What one person said.
     *
     * @return array{class: string|null, second: string|null, sure: string|null, skipped: bool}
     */
    public static function by(Mark $mark, string $person): array
    {
        $said = self::all($mark)[$person] ?? self::TOLD;

        return ['class' => $said['class'], 'second' => $said['second'], 'sure' => $said['sure'], 'skipped' => (bool) $said['skipped']];
    }

    /**
     * Takes over what a person says now; the mark has what counts of it then. Whoever else says something of it at the same time comes before
     * or after.
     *
     * @param  array<string, mixed>  $given
     */
    public static function take(Mark $mark, string $person, array $given): void
    {
        $told = array_intersect_key($given, self::TOLD);
        if ($told === []) {
            return;
        }
        DB::transaction(function () use ($mark, $person, $told): void {
            $mark->refresh()->unsetRelation('labels');
            if ($mark->labels->isEmpty() && ($mark->class !== null || $mark->skipped)) {
                // labelled before there were names
                $mark->labels()->create(['person' => ''] + $mark->only(array_keys(self::TOLD)));
            }
            $label = Label::query()->firstOrNew(['mark_id' => $mark->id, 'person' => $person])->fill($told);
            // without a class there is neither a second one nor how sure it is
            $label->fill($label->class === null ? ['second' => null, 'sure' => null] : []);
            $label->only(array_keys(self::TOLD)) === self::TOLD ? $label->delete() : $label->save();
            $mark->unsetRelation('labels')->fill(self::counts(self::rows($mark)))->save();
        });
    }

    /** @return array<string, array<string, mixed>> by person; what was labelled before there were names was said by nobody in particular */
    public static function all(Mark $mark): array
    {
        $rows = self::rows($mark);

        return $rows !== [] || ($mark->class === null && ! $mark->skipped) ? $rows : ['' => $mark->only(array_keys(self::TOLD))];
    }

    /** @return array<string, array<string, mixed>> by person, who said something first in front */
    private static function rows(Mark $mark): array
    {
        return $mark->labels->mapWithKeys(fn (Label $label): array => [$label->person => $label->only(array_keys(self::TOLD))])->all();
    }

    /**
     * @param  array<string, array<string, mixed>>  $all
     * @return array<string, mixed>
     */
    private static function counts(array $all): array
    {
        if (isset($all['']['class'])) {
            return $all[''];
        }
        $classes = array_filter(array_column($all, 'class'), fn (mixed $class): bool => $class !== null);
        if ($classes === []) {
            return [...self::TOLD, 'skipped' => $all !== [] && array_filter($all, fn (array $one): bool => ! $one['skipped']) === []];
        }
        $times = array_count_values($classes);
        $class = (string) array_search(max($times), $times, true);

        return [...self::TOLD, ...array_values(array_filter($all, fn (array $one): bool => $one['class'] === $class))[0]];
    }
}
