<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue';
import { useWork } from './useWork';
import WorkList from './WorkList.vue';

const { work, active, problem, act } = useWork();
</script>

<template>
    <Popover class="relative">
        <PopoverButton class="hover:text-verdigris" data-work>{{ active.length ? `${active.length} at work` : 'work' }}</PopoverButton>
        <PopoverPanel class="sheet absolute right-0 z-40 mt-2 max-h-[70vh] w-96 overflow-auto">
            <WorkList :work="work" :problem="problem" @stop="act($event, 'stop')" @run="act($event, 'run')" />
            <p class="border-t border-line px-3 py-2"><RouterLink to="/work" class="plain">all work</RouterLink></p>
        </PopoverPanel>
    </Popover>
</template>
