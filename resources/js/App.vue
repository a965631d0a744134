<script setup lang="ts">
import { onMounted, ref } from 'vue';
import { api, must } from './api/client';
import { useTheme } from './useTheme';

useTheme();

const warning = ref('');
onMounted(async () => {
    const health = await must(api.GET('/health'));
    warning.value =
        health.server.problem ??
        Object.values(health.workers)
            .map((worker) => worker?.problem)
            .find(Boolean) ??
        '';
});
</script>

<template>
    <p v-if="warning" role="alert" class="border-b border-line bg-paper-2 px-4 py-1 text-madder">{{ warning }}</p>
    <RouterView :key="$route.path" />
</template>
