<?php

namespace App\Models;

/** Saving or deleting such a model is news for the browsers that show its study. */
trait ChangesStudy
{
    protected static function bootChangesStudy(): void
    {
        static::saved(fn (self $model) => $model->study?->changed($model->changedStep()));
        static::deleted(fn (self $model) => $model->study?->changed($model->changedStep()));
    }

    /** The step that looks different now, beside its progress. */
    protected function changedStep(): ?int
    {
        return null;
    }
}
