<?php

namespace Chorometra\Core\Step;

/** Needs the image as a whole. */
interface WholeKind extends Kind
{
    /** Bytes of memory the computation takes at most; checked before it starts. */
    public function memory(Call $call): int;

    /** @return array<string, mixed> figures; the outputs are written */
    public function compute(Call $call): array;
}
