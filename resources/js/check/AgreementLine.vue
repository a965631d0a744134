<script setup lang="ts">
import type { Agreement } from '../api/client';
import { number, percent } from '../plots/format';

/** How far the people who labelled agree. */
defineProps<{ agreement: Agreement }>();
const emit = defineEmits<{ settle: [] }>();
const called = (name: string) => name || 'no name';
</script>

<template>
    <section v-if="agreement.people.length > 1" class="space-y-1 border-l-2 border-line pl-2 text-sm" data-agreement>
        <p v-for="pair in agreement.pairs" :key="`${pair.one}/${pair.other}`">
            {{ called(pair.one) }} and {{ called(pair.other) }} agree on <b class="figures">{{ percent(pair.agreed) }}</b> of
            <span class="figures">{{ pair.points }}</span> points<template v-if="pair.kappa !== null"
                >, kappa <span class="figures">{{ number(pair.kappa, 3) }}</span></template
            >.
        </p>
        <p v-if="agreement.apart.length">
            On {{ agreement.apart.length }} {{ agreement.apart.length > 1 ? 'points' : 'point' }} they do not; the majority label counts, or the first.
            <button class="plain" data-settle @click="emit('settle')">Resolve them together</button>
        </p>
    </section>
</template>
