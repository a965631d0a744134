<script setup lang="ts">
import PageHead from '../PageHead.vue';
import { useWork } from './useWork';
import WorkList from './WorkList.vue';

const { work, problem, act } = useWork();
</script>

<template>
    <div class="min-h-full">
        <PageHead />
        <main class="mx-auto max-w-3xl px-6 py-8">
            <h1 class="mb-4 text-xl font-semibold">Work</h1>
            <div class="rounded border border-line"><WorkList :work="work" :problem="problem" @stop="act($event, 'stop')" @run="act($event, 'run')" /></div>
        </main>
    </div>
</template>
