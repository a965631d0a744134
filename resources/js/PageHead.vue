<script setup lang="ts">
import { useTheme } from './useTheme';

const { theme, toggle } = useTheme();
const isSignedIn = document.querySelector('meta[name="signed-in"]') !== null;
</script>

<template>
    <header class="flex h-11 items-center gap-5 border-b border-line px-4">
        <RouterLink to="/" class="font-semibold">Chorometra<span class="text-verdigris">.</span></RouterLink>
        <slot />
        <span class="ml-auto flex items-center gap-4"
            ><RouterLink to="/work" class="hover:text-verdigris">work</RouterLink
            ><button class="hover:text-verdigris" @click="toggle">{{ theme === 'light' ? 'dark' : 'light' }}</button>
            <form v-if="isSignedIn" method="post" action="/logout"><button class="hover:text-verdigris">sign out</button></form></span
        >
    </header>
</template>
