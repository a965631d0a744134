<script setup lang="ts">
import { ChevronUpIcon, XMarkIcon } from '@heroicons/vue/20/solid';
import { computed } from 'vue';
import type { Inputs, Port } from '../api/client';
import { useBench } from '../bench/useBench';
import HelpText from '../glossary/HelpText.vue';

/** An input that takes several images, in an order that counts. */
const props = defineProps<{ port: Port; inputs: Inputs; problem: string | null }>();
const emit = defineEmits<{ choose: [list: Inputs[string][]] }>();

const bench = useBench();
const candidates = computed(() => bench.desk.candidatesFor(props.port.type).filter(({ source }) => source.step !== bench.desk.step.value?.id));
const keyOf = (input: Inputs[string]) => `${input.step}/${input.output ?? 'result'}`;
const list = computed(() =>
    Object.keys(props.inputs)
        .filter((name) => name.startsWith(`${props.port.name}:`))
        .sort((a, b) => Number(a.split(':')[1]) - Number(b.split(':')[1]))
        .map((name) => props.inputs[name]!),
);
const left = computed(() => candidates.value.filter(({ source }) => !list.value.some((input) => keyOf(input) === keyOf(source))));
const nameOf = (input: Inputs[string]) => candidates.value.find(({ source }) => keyOf(source) === keyOf(input))?.label ?? 'gone';

function add(event: Event): void {
    const field = event.target as HTMLSelectElement;
    const [step, output] = field.value.split('/');
    if (step) emit('choose', [...list.value, { step: Number(step), output }]);
    field.value = '';
}
function up(index: number): void {
    const next = [...list.value];
    next.splice(index - 1, 2, next[index]!, next[index - 1]!);
    emit('choose', next);
}
</script>

<template>
    <fieldset :class="problem ? 'border-l-2 border-madder pl-2' : ''" :data-input="port.name">
        <legend class="text-ink-2">{{ port.name }}</legend>
        <ol>
            <li v-for="(input, i) in list" :key="keyOf(input)" class="grid grid-cols-[1.2rem_1fr_auto_auto] items-center gap-x-1 border-b border-line py-0.5">
                <span class="figures text-ink-2">{{ i + 1 }}</span><span class="truncate">{{ nameOf(input) }}</span>
                <button
                    class="rounded p-0.5 hover:text-verdigris disabled:opacity-30"
                    :disabled="i === 0"
                    :aria-label="`${nameOf(input)} before the one above`"
                    title="before the one above"
                    @click="up(i)"
                >
                    <ChevronUpIcon class="size-4" />
                </button>
                <button
                    class="rounded p-0.5 hover:text-madder"
                    :aria-label="`without ${nameOf(input)}`"
                    title="leave it out"
                    data-leave-out
                    @click="
                        emit(
                            'choose',
                            list.filter((_, at) => at !== i),
                        )
                    "
                >
                    <XMarkIcon class="size-4" />
                </button>
            </li>
        </ol>
        <select v-if="left.length" class="field mt-1" :aria-label="`Another of ${port.name}`" :data-add="port.name" @change="add">
            <option value="">{{ list.length ? 'add another' : 'choose' }}</option>
            <option v-for="one in left" :key="one.label" :value="keyOf(one.source)">{{ one.label }}</option>
        </select>
        <p class="mt-0.5 text-xs text-ink-2"><HelpText :text="port.help" /></p>
        <p v-if="problem" role="alert" class="mt-0.5 text-sm text-madder">{{ problem }}</p>
    </fieldset>
</template>
