<?php

namespace Chorometra\Core\Step;

/** A kind that can say, before it runs, what stands against what it is about to do. It can be run all the same. */
interface HasPrechecks extends Kind
{
    /** @return array<string, string> sentences, by what they are about */
    public function against(Call $call): array;
}
