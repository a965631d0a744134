<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue';
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue';
import { glossary, glossaryAt } from './glossary';

/** Terms of the trade with their sources, opened at one of them or looked through by typing. */
const query = ref('');
const found = computed(() => {
    const wanted = query.value.toLowerCase();
    const fits = ({ term, definition }: { term: string; definition: string }) => `${term} ${definition}`.toLowerCase().includes(wanted);
    return glossary.map(({ title, entries }) => ({ title, entries: entries.filter(fits) })).filter(({ entries }) => entries.length);
});
const list = useTemplateRef('list');
watch(glossaryAt, async (term) => {
    query.value = '';
    await nextTick();
    if (term) list.value?.querySelector(`[data-term="${CSS.escape(term)}"]`)?.scrollIntoView({ block: 'start' });
});
</script>

<template>
    <Dialog :open="glossaryAt !== null" class="relative z-50" @close="glossaryAt = null">
        <div class="fixed inset-0 bg-black/30" aria-hidden="true" />
        <div class="fixed inset-0 flex items-center justify-center p-6">
            <DialogPanel class="sheet flex max-h-full w-[46rem] flex-col p-6" data-glossary>
                <p class="mb-3 flex items-baseline justify-between gap-6">
                    <DialogTitle class="text-lg font-semibold">Glossary</DialogTitle>
                    <input v-model="query" class="field max-w-60" placeholder="a term" aria-label="Search the glossary" />
                    <button class="plain" @click="glossaryAt = null">close</button>
                </p>
                <div ref="list" class="min-h-0 overflow-auto" tabindex="0" aria-label="Terms">
                    <section v-for="{ title, entries } in found" :key="title" class="mb-4">
                        <h3 class="mb-1 text-ink-2">{{ title }}</h3>
                        <dl>
                            <template v-for="entry in entries" :key="entry.term">
                                <dt :data-term="entry.term" class="font-semibold" :class="entry.term === glossaryAt ? 'text-verdigris' : ''">
                                    {{ entry.term }}
                                </dt>
                                <dd class="mb-2">{{ entry.definition }}</dd>
                            </template>
                        </dl>
                    </section>
                    <p v-if="!found.length" class="text-ink-2">Nothing found.</p>
                </div>
            </DialogPanel>
        </div>
    </Dialog>
</template>
