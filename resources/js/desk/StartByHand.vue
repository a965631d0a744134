<script setup lang="ts">
import { computed } from 'vue';
import type { Inputs } from '../api/client';
import { useBench } from '../bench/useBench';
import { findItem } from '../views/look';
import type { Form } from './useForm';

/** Two places pointed at in both images by four pegs: where images that lie turned, or far off, start from. */
const props = defineProps<{ form: Form }>();
const bench = useBench();
const WANTED = ['A', 'B', 'C', 'D'];

const pegs = computed(() => WANTED.map((letter) => bench.store.study.value?.pegs.find((peg) => peg.letter === letter)));
const isComplete = computed(() => pegs.value.every(Boolean));
/** Pegs stand in the study's CRS: they are places of the reference where it has that CRS itself. */
const isAtHome = computed(() => {
    const input = (props.form.draft.value.inputs as Inputs).reference;
    const item = input?.step && bench.store.study.value ? findItem(bench.store.study.value, { step: input.step, output: input.output ?? 'result' }, []) : null;
    return item !== null && !item.raster.warped;
});
function take(): void {
    const [a, b, c, d] = pegs.value;
    if (a && b && c && d) props.form.set('start', [a.x, a.y, b.x, b.y, c.x, c.y, d.x, d.y]);
}
</script>

<template>
    <p class="text-sm text-ink-2" data-start-by-hand>
        Or use pegs: A on a place in the reference, B on the same place in the image to move; C and D likewise, far from there.
        <button v-if="isComplete && isAtHome" class="plain" data-take-pegs @click="take">Use pegs A to D</button>
        <span v-else-if="isComplete">The reference is shown in another CRS than its own: type its map coordinates.</span>
    </p>
</template>
