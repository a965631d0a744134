<script setup lang="ts">
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from '@headlessui/vue';
import { computed, ref } from 'vue';
import { rasterSources } from '../views/look';
import { stageNames } from './stages';
import { useBench } from './useBench';

/** “/”: any kind of step, item or command by typing. */
const props = defineProps<{ open: boolean; commands: { name: string; run: () => void }[] }>();
const emit = defineEmits<{ close: [] }>();

const bench = useBench();
const query = ref('');
interface Entry {
    what: string;
    name: string;
    text: string;
    run: () => void;
}
const entries = computed<Entry[]>(() => [
    ...bench.store.kinds.value.map((kind) => ({
        what: stageNames[kind.stage]!,
        name: kind.title,
        text: `${kind.id} ${kind.sentence} ${kind.synonyms.join(' ')}`,
        run: () => bench.desk.openKind(kind),
    })),
    ...bench.store.steps.value.map((step) => ({
        what: 'step',
        name: `${step.number} ${step.title}`,
        text: step.note ?? '',
        run: () => bench.desk.openStep(step),
    })),
    ...(bench.store.study.value ? rasterSources(bench.store.study.value) : []).map(({ source, label }) => ({
        what: 'into view B',
        name: label,
        text: '',
        run: () => bench.views.show('b', source),
    })),
    ...props.commands.map(({ name, run }) => ({ what: 'command', name, text: '', run })),
]);
const found = computed(() => {
    const words = query.value.toLowerCase().split(/\s+/).filter(Boolean);
    const holds = (text: string) => words.every((word) => text.toLowerCase().includes(word));
    // what is called so comes before what speaks of it
    return [
        ...entries.value.filter((entry) => holds(entry.name)),
        ...entries.value.filter((entry) => !holds(entry.name) && holds(`${entry.what} ${entry.name} ${entry.text}`)),
    ].slice(0, 12);
});

function choose(entry: Entry | null): void {
    emit('close');
    query.value = '';
    entry?.run();
}
</script>

<template>
    <Dialog :open="open" class="relative z-50" @close="emit('close')">
        <div class="fixed inset-0 bg-black/30" aria-hidden="true" />
        <div class="fixed inset-x-0 top-24 flex justify-center">
            <DialogPanel class="sheet w-[32rem]">
                <Combobox :model-value="null" @update:model-value="choose">
                    <ComboboxInput
                        class="w-full bg-transparent px-4 py-3 text-base outline-none"
                        placeholder="A kind of step, an item, a command"
                        aria-label="Find"
                        @change="query = $event.target.value"
                    />
                    <ComboboxOptions static class="max-h-96 overflow-auto border-t border-line py-1">
                        <ComboboxOption v-for="entry in found" :key="entry.what + entry.name" v-slot="{ active }" :value="entry">
                            <span class="flex gap-3 px-4 py-1" :class="active ? 'bg-paper-2' : ''"
                                ><span class="w-24 shrink-0 text-ink-2">{{ entry.what }}</span
                                ><span>{{ entry.name }}</span></span
                            >
                        </ComboboxOption>
                        <li v-if="!found.length" class="px-4 py-1 text-ink-2">Nothing found.</li>
                    </ComboboxOptions>
                </Combobox>
            </DialogPanel>
        </div>
    </Dialog>
</template>
