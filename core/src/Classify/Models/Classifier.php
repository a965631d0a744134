<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Context;

/**
 * A way to tell classes apart. Its class says how it is taught; an object of it has been taught, and assigns classes. The classes in the folder
 * Classifiers are all there are (docs/adding-a-classifier.md).
 */
interface Classifier
{
    public static function method(): Method;

    /**
     * Learns from samples of two classes or more, each of which has one at least; none of their values is NaN.
     *
     * @return array<string, mixed> what was learnt: numbers and lists of them, that JSON keeps as they are
     *
     * @throws Problem where a class can't be learnt, with what is in the way
     */
    public static function learn(Samples $samples, Training $training, Context $context): array;

    /**
     * What was learnt, ready to assign classes.
     *
     * @param  int  $nodata  code for what lacks a value
     *
     * @throws Problem where the model's parameters do not fit together
     */
    public static function restore(Model $model, int $nodata): self;

    /**
     * @param  list<list<float>>  $columns  values by band, NaN nodata
     * @param  bool  $tells  whether the confidence in each class, and the distance to it, are wanted
     * @param  bool  $shares  whether the probability of each class is wanted, of methods that have it
     */
    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned;
}
