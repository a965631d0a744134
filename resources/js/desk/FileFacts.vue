<script setup lang="ts">
import { computed } from 'vue';
import type { Upload } from '../api/client';
import { number } from '../plots/format';

/** What a file says it is, before it is taken in. */
const props = defineProps<{ upload: Upload }>();

const missing: Record<string, string> = { crs: 'its CRS', roles: 'band roles', assign: 'files and bands' };
const rows = computed(() =>
    Object.entries(props.upload.facts as Record<string, unknown>).flatMap(([name, value]): [string, string][] => {
        if (value === null || name === 'files') return [];
        if (typeof value === 'object' && !Array.isArray(value))
            return Object.entries(value as Record<string, unknown>).map(([key, text]) => [key, String(text)]);
        return [[name, typeof value === 'number' ? number(value) : String(value)]];
    }),
);
</script>

<template>
    <div class="mt-2 text-sm" data-facts>
        <p>
            <b>{{ upload.what }}</b>
        </p>
        <dl class="grid grid-cols-[6.2rem_1fr] gap-x-2">
            <template v-for="[name, value] in rows" :key="name"
                ><dt class="text-ink-2">{{ name }}</dt>
                <dd class="wrap-anywhere">{{ value }}</dd></template
            >
        </dl>
        <p v-if="upload.lacks.length" class="mt-1 text-ochre">
            It does not say {{ upload.lacks.map((one) => missing[one] ?? one).join(' nor ') }}: set it below.
        </p>
    </div>
</template>
