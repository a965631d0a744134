<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Step\Setting;

/** What a classifier says of itself. */
final readonly class Method
{
    /**
     * @param  string  $name  in settings and model files
     * @param  int  $order  among the methods, the simplest first
     * @param  string  $help  which class it assigns
     * @param  string  $source  published definition
     * @param  list<Setting>  $settings  that it is taught by; several methods may have one of the same name
     * @param  string|null  $limit  the setting beyond which a case stays unlabelled; one in per cent is a share
     * @param  string  $confidence  what tells how sure a class is, 0 to 1
     * @param  array{string, string|null}|null  $distance  name and unit of how near a case is to its class, however far the others are; null where
     *   the method knows no such thing
     * @param  bool  $hasPosteriors  whether it tells the probability of each class
     */
    public function __construct(
        public string $name,
        public int $order,
        public string $help,
        public string $source,
        public array $settings = [],
        public ?string $limit = null,
        public string $confidence = 'margin',
        public ?array $distance = null,
        public bool $hasPosteriors = false,
    ) {}

    /** The farthest that a case may be from the mean of its class. */
    public static function mostDeviations(): Setting
    {
        return Setting::number('most-deviations', null, 'Leaves pixels unlabelled that are farther than this from their class mean.', 'deviations', 0);
    }

    /** The smallest share of the votes. */
    public static function leastVotes(): Setting
    {
        return Setting::number('least-votes', null, 'Leaves pixels unlabelled whose class gets a smaller share of the votes.', '%', 0, 100);
    }

    /** The largest number of training samples per class. */
    public static function most(): Setting
    {
        return Setting::whole('most', 2500, 'Largest number of training pixels per class; larger classes are sampled at regular intervals.', 'pixels', 10,
            100_000);
    }

    /** Whether bands count alike. */
    public static function standardise(): Setting
    {
        return Setting::choice('standardise', ['as-fits', 'yes', 'no'], 'as-fits', 'Divide values by their standard deviation.', [
            'as-fits' => 'if the bands differ in unit or have none',
        ]);
    }
}
