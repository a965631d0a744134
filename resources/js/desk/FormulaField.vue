<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query';
import { refDebounced } from '@vueuse/core';
import { computed, nextTick, ref, watch } from 'vue';
import { api, must, Problem, type AtPegs } from '../api/client';
import { useBench } from '../bench/useBench';
import HelpText from '../glossary/HelpText.vue';
import { number, pegColour } from '../plots/format';
import { bandNames, completions, mistake, wordBefore } from './formula';
import type { Form } from './useForm';
import { useNamedImages } from './useNamedImages';

/** Lines of arithmetic: names completed, the mistake marked where it is, and at every pause what it gives at each peg. */
const props = defineProps<{ form: Form; about: (name: string) => string | null }>();
const bench = useBench();

const PAUSE = 450;
const setting = computed(() => bench.desk.kind.value!.settings.find((one) => one.name === 'formula')!);
const told = computed(() => String(props.form.valueOf('formula') ?? ''));
const text = ref(told.value);
const field = ref<HTMLTextAreaElement>();
/** Typed here since the desk was opened: what was only opened is not tried by itself. */
const typed = ref(false);
watch(told, (now) => {
    if (now !== text.value.trim()) text.value = now;
});
function keep(): void {
    if (text.value.trim() !== told.value) props.form.set('formula', text.value.trim());
}

const { images, rename } = useNamedImages(bench, props.form);

// what it gives, at every pause
const paused = refDebounced(text, PAUSE);
watch(paused, keep);
const question = computed(() => ({
    kind: bench.desk.kind.value!.id,
    inputs: props.form.draft.value.inputs,
    settings: { ...props.form.draft.value.settings, formula: paused.value.trim() },
}));
const pegs = computed(() => bench.store.study.value?.pegs ?? []);
const { data, error } = useQuery({
    queryKey: computed(() => ['at-pegs', bench.id, question.value, images.value.map((one) => one.item?.id), pegs.value.map((peg) => [peg.id, peg.x, peg.y])]),
    queryFn: () => must(api.POST('/studies/{study}/at-pegs', { params: { path: { study: bench.id } }, body: question.value })),
    enabled: computed(() => paused.value.trim() !== '' && images.value.length > 0),
    retry: false,
    placeholderData: (previous: AtPegs | undefined) => previous,
});
const isCurrent = computed(() => paused.value === text.value);
const wrong = computed(() => {
    if (!isCurrent.value) return null;
    const found = paused.value.trim() && error.value instanceof Problem ? error.value : null;
    return found && ['formula', null].includes(found.about) ? found : null;
});
const sentence = computed(() => wrong.value?.message ?? (isCurrent.value ? props.about('formula') : null));
const mark = computed(() => {
    if (!wrong.value?.at) return null;
    const start = text.value.length - text.value.trimStart().length;
    const { from, to } = mistake(text.value.slice(start), wrong.value.at);
    return { from: from + start, to: to + start };
});
const rows = computed(() => (wrong.value || !data.value ? [] : data.value.pegs.filter((peg) => peg.made.length)));

// a formula that can be computed is tried, as soon as its author stops
watch([data, isCurrent], () => {
    if (typed.value && isCurrent.value && !wrong.value && data.value && !props.form.trial.value && !props.form.trying.value) {
        typed.value = false;
        void props.form.attempt();
    }
});

// names, completed
const caret = ref(0);
const chosen = ref(-1);
const isOpen = ref(false);
const words = computed(() => [...bandNames(images.value), ...(setting.value.words ?? [])]);
const options = computed(() => (isOpen.value ? completions(words.value, wordBefore(text.value, caret.value).word) : []));
function onInput(event: Event): void {
    const target = event.target as HTMLTextAreaElement;
    text.value = target.value;
    caret.value = target.selectionStart;
    typed.value = true;
    isOpen.value = true;
    chosen.value = -1;
}
async function complete(word: string): Promise<void> {
    const { from } = wordBefore(text.value, caret.value);
    text.value = text.value.slice(0, from) + word + text.value.slice(caret.value);
    // within the brackets of what takes something
    caret.value = from + word.length - (word.endsWith('()') && images.value.length > 1 ? 1 : 0);
    isOpen.value = false;
    typed.value = true;
    await nextTick();
    field.value?.focus();
    field.value?.setSelectionRange(caret.value, caret.value);
}
function onKey(event: KeyboardEvent): void {
    if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) return keep();
    if (!options.value.length) return;
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
        const step = event.key === 'ArrowDown' ? 1 : -1;
        if (chosen.value < 0 && step < 0) return;
        chosen.value = Math.min(options.value.length - 1, chosen.value + step);
    } else if (event.key === 'Enter' && chosen.value >= 0) {
        void complete(options.value[chosen.value]!);
    } else if (event.key === 'Escape') {
        isOpen.value = false;
        event.stopPropagation();
    } else return;
    event.preventDefault();
}
function onBlur(): void {
    keep();
    isOpen.value = false;
}
</script>

<template>
    <div :class="sentence ? 'border-l-2 border-madder pl-2' : ''" data-setting="formula">
        <div v-if="images.length > 1" class="mb-2 space-y-1 text-sm" data-names>
            <label v-for="(image, i) in images" :key="i" class="grid grid-cols-[5rem_1fr] items-baseline gap-x-2">
                <input
                    class="field"
                    :value="image.name"
                    :aria-label="`Short name of ${image.label}`"
                    spellcheck="false"
                    @change="rename(i, ($event.target as HTMLInputElement).value)"
                />
                <span class="truncate text-ink-2">{{ image.label }}</span>
            </label>
            <p v-if="about('names')" role="alert" class="text-madder">{{ about('names') }}</p>
        </div>
        <label class="text-ink-2" for="formula-lines">formula</label>
        <div class="relative mt-0.5">
            <!-- under the text: it marks the place of a mistake -->
            <div
                class="field pointer-events-none absolute inset-0 overflow-hidden formula wrap-break-word whitespace-pre-wrap text-transparent!"
                aria-hidden="true"
            >
                {{ text.slice(0, mark?.from ?? 0)
                }}<mark v-if="mark" class="rounded-xs bg-madder/25 text-transparent underline decoration-madder decoration-2 underline-offset-4" data-mistake>{{
                    text.slice(mark.from, mark.to) || ' '
                }}</mark>
            </div>
            <textarea
                id="formula-lines"
                ref="field"
                class="field relative block bg-transparent! formula text-ink"
                rows="5"
                spellcheck="false"
                autocapitalize="off"
                role="combobox"
                aria-autocomplete="list"
                aria-controls="formula-words"
                :aria-expanded="options.length > 0"
                :aria-activedescendant="chosen >= 0 ? `formula-word-${chosen}` : undefined"
                :aria-invalid="Boolean(sentence)"
                data-lines="formula"
                :value="text"
                @input="onInput"
                @keydown="onKey"
                @click="caret = ($event.target as HTMLTextAreaElement).selectionStart"
                @blur="onBlur"
            />
            <ul
                v-show="options.length"
                id="formula-words"
                class="absolute inset-x-0 top-full z-10 mt-0.5 border border-line bg-paper-2 py-1 text-sm shadow-lg"
                role="listbox"
                aria-label="Matching names"
                data-words
            >
                <li
                    v-for="(word, i) in options"
                    :id="`formula-word-${i}`"
                    :key="word"
                    class="cursor-pointer px-2 py-0.5"
                    :class="i === chosen ? 'bg-verdigris text-on-verdigris' : ''"
                    role="option"
                    :aria-selected="i === chosen"
                    @mousedown.prevent="complete(word)"
                >
                    {{ word }}
                </li>
            </ul>
        </div>
        <p v-if="sentence" role="alert" class="mt-0.5 text-sm text-madder" data-wrong>{{ sentence }}</p>
        <div v-if="rows.length" class="mt-2 overflow-x-auto" tabindex="0" role="group" aria-label="at the pegs" data-at-pegs>
            <table class="w-full text-sm">
                <caption class="sr-only">
                    Inputs and result at each peg
                </caption>
                <thead>
                    <tr class="text-xs text-ink-2">
                        <th class="text-left font-normal">peg</th>
                        <th v-for="(name, i) in data!.made" :key="`m${i}`" class="pl-3 text-right font-semibold text-ink">{{ name }}</th>
                        <th v-for="(name, i) in data!.read" :key="`r${i}`" class="pl-2 text-right font-normal">{{ name }}</th>
                    </tr>
                </thead>
                <tbody :class="isCurrent ? '' : 'opacity-50'">
                    <tr v-for="peg in rows" :key="peg.id" class="border-t border-line" :data-peg="peg.letter">
                        <td class="py-0.5 whitespace-nowrap">
                            <span class="mr-1 inline-block size-2.5 rounded-full border border-ink-2" :style="{ background: pegColour(peg.letter) }" />{{
                                peg.letter
                            }}
                        </td>
                        <td v-for="(value, i) in peg.made" :key="`m${i}`" class="figures pl-3 text-right whitespace-nowrap" data-made>
                            {{ value === null ? 'nodata' : number(value) }}
                        </td>
                        <td v-for="(value, i) in peg.read" :key="`r${i}`" class="figures pl-2 text-right whitespace-nowrap text-ink-2">{{ number(value) }}</td>
                    </tr>
                </tbody>
            </table>
        </div>
        <p v-else-if="!pegs.length" class="mt-1 text-xs text-ink-2">Drop pegs (P) to see the result there while you type.</p>
        <details class="mt-1 text-xs text-ink-2">
            <summary>formula reference</summary>
            <p class="mt-1"><HelpText :text="setting.help" /></p>
        </details>
    </div>
</template>
