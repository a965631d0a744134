<script setup lang="ts">
import { computed } from 'vue';
import type { components } from '../api/schema';
import { useBench } from '../bench/useBench';

/** How well each pair of classes parts, the worst first. */
const props = defineProps<{ told: components['schemas']['Training'] }>();
const emit = defineEmits<{ look: [pair: { best: string[] }] }>();
const { training } = useBench();
const rows = computed(() => props.told.pairs.map((pair) => ({ ...pair, names: [props.told.classes[pair.a]!.class, props.told.classes[pair.b]!.class] })));
</script>

<template>
    <p v-if="!rows.length" class="p-3 text-sm text-ink-2">Separability needs two classes with enough pixels.</p>
    <table v-else class="w-full text-sm" data-pairs>
        <thead class="sticky top-0 bg-paper text-left text-ink-2">
            <tr>
                <th class="px-3 py-1 font-normal">pair</th>
                <th class="py-1 font-normal">separability</th>
                <th class="py-1 text-right font-normal" title="0 none, 2 complete">Jeffries–Matusita</th>
                <th class="py-1 pl-4 text-right font-normal" title="0 none, 2 complete">transformed divergence</th>
                <th class="py-1 pl-4 font-normal">best by</th>
            </tr>
        </thead>
        <tbody>
            <tr v-for="row in rows" :key="row.names.join()" class="border-t border-line">
                <td class="px-3">
                    <span v-for="(name, i) in row.names" :key="name"
                        >{{ i ? ' and ' : ''
                        }}<span class="mr-1 inline-block size-2.5 border border-line align-middle" :style="{ background: training.colourOf(name) }" />{{
                            name
                        }}</span
                    >
                </td>
                <td :class="row.how === 'hardly' ? 'text-ochre' : ''">{{ row.how }}</td>
                <td class="figures text-right">{{ row.jm.toFixed(3) }}</td>
                <td class="figures pl-4 text-right">{{ row.td.toFixed(3) }}</td>
                <td class="pl-4">
                    <button class="plain min-h-6 whitespace-nowrap" :title="`${row.names.join(' and ')} in these two bands`" @click="emit('look', row)">
                        {{ row.best.join(', ') }}
                    </button>
                </td>
            </tr>
        </tbody>
    </table>
</template>
