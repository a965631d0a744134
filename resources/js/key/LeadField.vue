<script setup lang="ts">
import { computed, ref } from 'vue';
import { useBench } from '../bench/useBench';
import { lead, putBack, recolour, spare, type At } from './edit';
import type { Couplet, Side } from './sort';

/** Where an answer leads: to a class that is here or made anew, to unlabelled, or on to the next question. */
const props = defineProps<{ couplet: Couplet; side: Side }>();
const { key } = useBench();
const at = computed<At>(() => ({ couplet: props.couplet.id, side: props.side }));
const answer = computed(() => props.couplet[props.side]);
const next = computed(() => key.document.value?.couplets.find((one) => one.id === answer.value?.couplet) ?? null);
const classes = computed(() => key.document.value?.classes ?? []);
const mine = computed(() => classes.value.find((one) => one.name === answer.value?.class) ?? null);
const spares = computed(() => (key.document.value ? spare(key.document.value) : []));
const naming = ref(false);

function choose(value: string): void {
    const document = key.document.value!;
    if (value === 'new') naming.value = true;
    else if (value.startsWith('back/')) void key.change('putting a question back', putBack(document, value.slice(5), at.value));
    else if (value === '') void key.change('where an answer leads', lead(document, at.value, null));
    else void key.change('where an answer leads', lead(document, at.value, { class: value.slice(6) }));
}
function make(event: Event): void {
    const name = (event.target as HTMLInputElement).value.trim();
    naming.value = false;
    if (name) void key.change(`the class “${name}”`, lead(key.document.value!, at.value, { class: name }));
}
</script>

<template>
    <div class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2" :data-lead="side">
        <span class="text-ink-2">{{ side === 'yes' ? 'yes, it is' : 'no, it is' }}</span>
        <p v-if="next" class="truncate">
            next question: <button class="plain" @click="key.selected.value = next!.id">{{ next.question || next.id }}</button>
        </p>
        <input
            v-else-if="naming"
            class="field"
            placeholder="name of the class"
            aria-label="Name of the new class"
            data-new-class
            @change="make"
            @keydown.esc="naming = false"
        />
        <p v-else class="flex items-center gap-1.5">
            <input
                v-if="mine"
                type="color"
                class="size-5 shrink-0 cursor-pointer border-0 bg-transparent p-0"
                :value="mine.colour"
                :aria-label="`Colour of ${mine.name}`"
                @change="key.change('the colour of a class', recolour(key.document.value!, mine!.name, ($event.target as HTMLInputElement).value))"
            />
            <select
                class="field"
                :value="answer?.class ? `class/${answer.class}` : ''"
                :aria-label="`Where ${side} leads`"
                @change="choose(($event.target as HTMLSelectElement).value)"
            >
                <option value="">{{ key.document.value?.rest ? `the rest: ${key.document.value.rest}` : 'nothing: unlabelled' }}</option>
                <option v-for="one in classes" :key="one.value" :value="`class/${one.name}`">{{ one.name }}</option>
                <option value="new">a new class …</option>
                <option v-for="one in spares" :key="one.id" :value="`back/${one.id}`">put back: {{ one.question || one.id }}</option>
            </select>
        </p>
    </div>
</template>
