<script setup lang="ts">
import { glossaryAt, withTerms } from './glossary';

/** A sentence of help whose terms of the trade lead to the glossary. */
defineProps<{ text: string }>();
</script>

<template>
    <template v-for="(piece, i) in withTerms(text)" :key="i"
        ><button
            v-if="piece.term"
            type="button"
            class="underline decoration-dotted underline-offset-2 hover:text-verdigris"
            :title="`${piece.term}: glossary`"
            @click.prevent="glossaryAt = piece.term"
        >
            {{ piece.text }}</button
        ><template v-else>{{ piece.text }}</template></template
    >
</template>
