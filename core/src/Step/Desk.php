<?php

namespace Chorometra\Core\Step;

/** What a person who chooses and runs a kind needs beyond its form. The application knows no kind by name: it follows this. */
final readonly class Desk
{
    /**
     * @param  int  $place  among the kinds of its stage, from 1; others follow
     * @param  list<string>  $choice  what tells one run from another, settings in braces: “EPSG:{crs}”; the first of which all are told counts
     * @param  bool  $isNamed  what it makes is called by that choice rather than by the kind
     * @param  string|null  $makes  what its result is called, where the title names the work and not what comes of it
     * @param  list<Caution>  $cautions  why it may come too early or too late; it can be run all the same
     * @param  list<Evidence>  $evidence  what is shown for a choice, or of a result, beyond fields and figures
     * @param  Grids  $grids  what becomes of inputs on different grids
     * @param  bool  $moves  values are taken between pixels
     * @param  Instead|null  $instead  a simpler way
     * @param  string|null  $page  it has a page of its own instead of a desk
     * @param  int|null  $trialSide  a trial works on the image's own pixels, in a square of so many at most in the middle of what is visible; null
     *   where it works on all that is visible, in coarser pixels if need be
     */
    public function __construct(
        public int $place = 99,
        public array $choice = [],
        public bool $isNamed = false,
        public array $cautions = [],
        public array $evidence = [],
        public Grids $grids = Grids::One,
        public bool $moves = false,
        public ?Instead $instead = null,
        public ?string $page = null,
        public ?int $trialSide = null,
        public ?string $makes = null,
    ) {}

    public function shows(string $evidence): bool
    {
        return in_array($evidence, array_map(fn (Evidence $one): string => $one->name, $this->evidence), true);
    }

    /**
     * What was chosen, in few words; empty where nothing tells one run from another.
     *
     * @param  array<string, mixed>  $settings  as far as they are told
     */
    public function chosen(Declaration $declaration, array $settings): string
    {
        foreach ($this->choice as $text) {
            $isWhole = true;
            $said = preg_replace_callback('/\{([a-z0-9-]+)\}/', function (array $found) use ($declaration, $settings, &$isWhole): string {
                $setting = $declaration->setting($found[1]);
                $value = self::said($settings[$found[1]] ?? $setting?->default);
                // choices are named by words that hyphens hold together, all in small letters
                $value = in_array($setting?->type, ['choice', 'choices'], true)
                    ? str_replace(['toa-', '-', 'k means'], ['TOA ', ' ', 'k-means'], $value)
                    : $value;
                $isWhole = $isWhole && $value !== '';

                return $value;
            }, $text);
            if ($isWhole) {
                return (string) $said;
            }
        }

        return '';
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return [
            'place' => $this->place,
            'cautions' => array_map(fn (Caution $caution): array => $caution->toArray(), $this->cautions),
            'evidence' => array_map(fn (Evidence $evidence): array => $evidence->toArray(), $this->evidence),
            'grids' => $this->grids->value,
            'moves' => $this->moves,
            'instead' => $this->instead?->toArray(),
            'page' => $this->page,
            'trialSide' => $this->trialSide,
        ];
    }

    private static function said(mixed $value): string
    {
        return match (true) {
            is_array($value) => implode(', ', array_map(self::said(...), $value)),
            is_float($value) => (string) (float) sprintf('%.4g', $value),
            is_scalar($value) => (string) $value,
            default => '',
        };
    }
}
