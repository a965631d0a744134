<script setup lang="ts">
import { computed } from 'vue';
import { stageNames } from './stages';
import { useBench } from './useBench';

const bench = useBench();
const stages = computed(() =>
    Object.entries(stageNames).map(([id, name]) => ({
        id,
        name,
        open: bench.store.kinds.value.some((kind) => kind.stage === id),
        done: bench.store.steps.value.filter((step) => step.kind.startsWith(`${id}.`) && ['done', 'stale'].includes(step.state)).length,
    })),
);
</script>

<template>
    <nav class="flex self-stretch" aria-label="Route">
        <template v-for="stage in stages" :key="stage.id">
            <button
                v-if="stage.open"
                class="flex items-center border-b-3 px-2.5 pt-0.5"
                :class="
                    bench.desk.stage.value === stage.id
                        ? 'border-verdigris font-semibold'
                        : stage.done
                          ? 'border-verdigris/40 hover:text-verdigris'
                          : 'border-line hover:text-verdigris'
                "
                :aria-current="bench.desk.stage.value === stage.id ? 'true' : undefined"
                :data-stage="stage.id"
                @click="bench.desk.openStage(stage.id)"
            >
                {{ stage.name }}<sup v-if="stage.done" class="figures ml-0.5 font-normal text-ink-2" :aria-label="`${stage.done} done`">{{ stage.done }}</sup>
            </button>
            <span v-else class="flex items-center border-b-3 border-dotted border-line px-2.5 pt-0.5 text-ink-2" title="No steps in this version">{{
                stage.name
            }}</span>
        </template>
    </nav>
</template>
