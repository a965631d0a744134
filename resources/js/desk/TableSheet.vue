<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue';
import { ref } from 'vue';
import type { Item } from '../api/client';
import { number } from '../plots/format';
import RowTable from '../readings/RowTable.vue';

/** A table whole. */
defineProps<{ item: Item; title: string }>();
defineEmits<{ close: [] }>();

const count = ref(0);
</script>

<template>
    <Dialog open class="relative z-50" @close="$emit('close')">
        <div class="fixed inset-0 bg-black/30" aria-hidden="true" />
        <div class="fixed inset-0 flex items-center justify-center p-6">
            <DialogPanel class="sheet flex max-h-full w-[64rem] max-w-full flex-col p-4" data-table>
                <p class="mb-2 flex items-baseline justify-between gap-4">
                    <DialogTitle class="text-lg font-semibold"
                        >{{ title }} <span class="figures text-base font-normal text-ink-2">{{ number(count) }} rows</span></DialogTitle
                    ><span class="flex gap-4"
                        ><a class="plain" :href="`/api/items/${item.id}/file`" download>{{ item.file }}</a
                        ><button class="plain" @click="$emit('close')">close</button></span
                    >
                </p>
                <RowTable class="h-[70vh]" :item="item" @counted="count = $event" />
            </DialogPanel>
        </div>
    </Dialog>
</template>
