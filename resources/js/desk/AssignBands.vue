<script setup lang="ts">
import { computed } from 'vue';

/** Which file of a delivery is which band, said by hand. */
const props = defineProps<{ files: string[]; value: string[]; problem: string | null }>();
const emit = defineEmits<{ set: [value: string[]] }>();

const roles = ['coastal', 'blue', 'green', 'red', 'rededge', 'nir', 'swir1', 'swir2', 'pan', 'cirrus', 'thermal1', 'thermal2', 'quality'];
const chosen = computed(() => Object.fromEntries(props.value.map((pair) => pair.split('=').reverse() as [string, string])));

function choose(file: string, role: string): void {
    // a role belongs to one file
    const rest = props.value.filter((pair) => !pair.endsWith(`=${file}`) && !pair.startsWith(`${role}=`));
    emit('set', role ? [...rest, `${role}=${file}`] : rest);
}
</script>

<template>
    <fieldset data-assign>
        <legend class="text-ink-2">files and bands</legend>
        <label v-for="file in files" :key="file" class="grid grid-cols-[1fr_7rem] items-center gap-x-2 border-b border-line">
            <span class="truncate text-sm" :title="file">{{ file }}</span>
            <select class="field border-b-0!" :value="chosen[file] ?? ''" @change="choose(file, ($event.target as HTMLSelectElement).value)">
                <option value="">leave out</option>
                <option v-for="role in roles" :key="role" :value="role">{{ role }}</option>
            </select>
        </label>
        <p v-if="problem" role="alert" class="mt-0.5 text-sm text-madder">{{ problem }}</p>
    </fieldset>
</template>
