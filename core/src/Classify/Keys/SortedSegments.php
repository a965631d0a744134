<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Classify\Cases\SegmentCases;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Work\Context;

/** Segments sent through a key, and tidied rule by rule. */
final readonly class SortedSegments
{
    public KeyRun $sorting;

    /** @var list<float>|null */
    public ?array $hectares;

    /**
     * @param  Graph  $graph  of the segments, in the order of the pieces
     *
     * @throws Problem where a couplet can't be asked, or a rule can't be followed
     */
    public function __construct(
        public KeyDocument $key,
        public SegmentCases $pieces,
        public Teaching $teaching,
        public Graph $graph,
        Image $image,
        ?MergeTree $tree,
        ?Context $context = null,
    ) {
        $key->check($pieces);
        if ($key->cuts() && $tree === null) {
            throw Problem::call('The key changes the merge limit: give the merge tree of the segments.', 'tree');
        }
        $teaching->ofSegments($pieces->numbers(), $pieces->pixels());
        $cut = $tree !== null && $key->cuts() ? (new Cut($image, $graph, $tree))->cut(...) : null;
        $this->sorting = new KeyRun($key, $teaching->learn(...), $pieces, $cut, context: $context);
        $this->hectares = $pieces->hectares();
    }

    /**
     * @param  (\Closure(Tidy, int): void)|null  $after  told after each rule, with its place in the key
     * @return array{Tidy, list<array<string, mixed>>} and what each rule changed
     */
    public function tidied(?\Closure $after = null): array
    {
        return Tidy::all($this->key, $this->graph, $this->hectares, $this->sorting->codes, $this->sorting->pieces, $after);
    }
}
