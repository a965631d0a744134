<script setup lang="ts">
import { computed } from 'vue';
import { useBench } from '../bench/useBench';
import { number, percent } from '../plots/format';
import { change, untaught } from './edit';
import type { Couplet } from './sort';

/** A question that examples answer: given by clicking, or by sweeping over segments with the number of the answer held. */
const props = defineProps<{ couplet: Couplet }>();
const bench = useBench();
const { key } = bench;
const { examples: state } = key;
const told = computed(() => props.couplet.examples!);
const counts = computed(() => ({
    yes: told.value.given?.filter((one) => one.answer === 'yes').length ?? 0,
    no: told.value.given?.filter((one) => one.answer === 'no').length ?? 0,
}));
const learnt = computed(() => key.told.value?.couplets.find((one) => one.id === props.couplet.id)?.learnt ?? null);
const names = computed(() => ({
    yes: props.couplet.yes?.class ?? 'yes',
    no: props.couplet.no?.class ?? (props.couplet.no?.couplet ? 'no, further question' : 'no'),
}));
const edit = (what: string, part: Partial<typeof told.value>) => {
    // what was learnt before no longer holds
    void key.change(what, change(key.document.value!, props.couplet.id, { examples: { ...untaught(told.value), ...part } }));
};
const methods = key.methods;
const method = computed(() => {
    const name = told.value.method ?? 'nearest-neighbours';
    return methods.value.find((one) => one.name === name) ?? { name, help: '', setting: null, default: null };
});
const setting = computed(() => method.value.setting as 'neighbours' | 'trees' | null);
const whole = (text: string) => Math.max(1, Math.round(Number(text)) || (method.value.default ?? 1));
const list = (text: string) =>
    text
        .split(';')
        .map((one) => one.trim())
        .filter(Boolean);
const isArmed = (answer: 'yes' | 'no') => bench.drawing.tool.value?.does === 'example' && bench.drawing.tool.value.answer === answer;
const unsure = computed(() => state.unsure.value);
</script>

<template>
    <div class="space-y-2" data-examples>
        <p class="grid grid-cols-2 gap-2">
            <button
                v-for="(answer, i) in ['yes', 'no'] as const"
                :key="answer"
                class="rounded border px-2 py-1 text-left text-sm"
                :class="isArmed(answer) ? 'border-verdigris bg-paper-2 font-semibold' : 'border-line'"
                :aria-pressed="isArmed(answer)"
                :title="`Click segments that are ${names[answer]}; or hold ${i + 1} and sweep over them`"
                :data-example="answer"
                @click="bench.drawing.arm({ does: 'example', answer })"
            >
                <kbd class="figures mr-1">{{ i + 1 }}</kbd>{{ names[answer] }}
                <span class="figures float-right" :data-count="answer">{{ told.given ? counts[answer] : (learnt?.[answer] ?? 0) }}</span>
            </button>
        </p>
        <p class="text-xs text-ink-2">Click segments in a view, or hold 1 or 2 and sweep over them; the image does not move meanwhile.</p>
        <label class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2"
            ><span class="text-ink-2">over</span
            ><input
                class="field formula"
                :value="told.measures.join('; ')"
                aria-label="Measures, separated by semicolons"
                data-over
                @change="edit('what examples are compared by', { measures: list(($event.target as HTMLInputElement).value) })"
        /></label>
        <p class="flex items-center gap-2">
            <select
                class="field"
                aria-label="Classifier"
                :value="method.name"
                :title="method.help"
                data-method
                @change="edit('how a question learns', { method: ($event.target as HTMLSelectElement).value })"
            >
                <option v-for="one in methods" :key="one.name" :value="one.name">{{ one.name.replaceAll('-', ' ') }}</option>
            </select>
            <label v-if="setting" class="flex items-center gap-1 text-sm"
                >{{ setting === 'neighbours' ? 'of' : setting
                }}<input
                    class="field figures w-14!"
                    inputmode="numeric"
                    :value="told[setting] ?? method.default"
                    @change="edit('how a question learns', { [setting]: whole(($event.target as HTMLInputElement).value) })"
            /></label>
        </p>
        <div v-if="unsure" class="space-y-1 border-t border-line pt-2 text-sm" data-unsure>
            <p>
                <span class="figures">{{ number(unsure.count) }}</span> have a confidence below 80 %.
                <button class="plain" data-next-unsure @click="state.step(1)">{{ state.at.value === null ? 'show the least certain' : 'next' }}</button>
                <button v-if="state.at.value" class="plain ml-2" @click="state.step(-1)">back</button>
            </p>
            <p v-if="state.current.value" class="text-ink-2">
                Segment <span class="figures">{{ state.current.value.number }}</span>: {{ percent(state.current.value.share, 0) }} for {{ names.yes }}. Press 1
                or 2.
            </p>
        </div>
        <p class="flex gap-3 text-sm">
            <button v-if="told.given?.length" class="plain" @click="edit('all examples', { given: [] })">remove all examples</button>
        </p>
    </div>
</template>
