<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue';
import { glossaryAt } from '../glossary/glossary';
import { keySheet } from './keys';

defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();

function toGlossary(): void {
    emit('close');
    glossaryAt.value = '';
}
</script>

<template>
    <Dialog :open="open" class="relative z-50" @close="$emit('close')">
        <div class="fixed inset-0 bg-black/30" aria-hidden="true" />
        <div class="fixed inset-0 flex items-center justify-center p-6">
            <DialogPanel class="sheet max-h-full w-[46rem] overflow-auto p-6">
                <p class="mb-3 flex items-baseline justify-between">
                    <DialogTitle class="text-lg font-semibold">Keys</DialogTitle>
                    <button class="plain ml-6 mr-auto" @click="toGlossary">glossary</button>
                    <button class="plain" @click="$emit('close')">close</button>
                </p>
                <div class="grid grid-cols-2 gap-x-8 gap-y-4">
                    <section v-for="[title, rows] in keySheet" :key="title">
                        <h3 class="mb-1 text-ink-2">{{ title }}</h3>
                        <dl class="grid grid-cols-[6.5rem_1fr] gap-y-1">
                            <template v-for="[key, does] in rows" :key="key"
                                ><dt>
                                    <kbd class="figures rounded-xs border border-line bg-paper-2 px-1.5">{{ key }}</kbd>
                                </dt>
                                <dd>{{ does }}</dd></template
                            >
                        </dl>
                    </section>
                </div>
            </DialogPanel>
        </div>
    </Dialog>
</template>
