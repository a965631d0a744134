<script setup lang="ts">
import { nextTick, ref, watch } from 'vue';
import type { Scene } from '../api/client';
import { longDate, number, percent } from '../plots/format';
import { stateOf } from '../trail/stepText';
import type { ArchiveStore } from './useArchive';
import { useThumbnails } from './useThumbnails';

const props = defineProps<{ store: ArchiveStore }>();
const { scenes, chosen, hovered, covers, polygons, orderOf, toggle } = props.store;
const { addresses, came, failed } = useThumbnails(scenes);
const list = ref<HTMLElement>();
const over = ref(false);

// what is pointed at elsewhere comes into sight
watch(hovered, async (id) => {
    if (!id || over.value) return;
    await nextTick();
    list.value?.querySelector(`[data-scene="${id}"]`)?.scrollIntoView({ block: 'nearest' });
});
function state(scene: Scene): string {
    const step = orderOf(scene);
    if (!step) return '';
    return step.state === 'done' || step.state === 'stale' ? `in the study, step ${step.number}` : stateOf(step);
}
</script>

<template>
    <ul ref="list" class="min-h-0 overflow-auto" data-scenes @mouseenter="over = true" @mouseleave="over = false">
        <li
            v-for="scene in scenes"
            :key="scene.id"
            :data-scene="scene.id"
            class="border-b border-line"
            :class="hovered === scene.id ? 'bg-paper-2' : ''"
            @mouseenter="hovered = scene.id"
            @mouseleave="hovered = null"
        >
            <label class="grid cursor-pointer grid-cols-[auto_72px_1fr] items-center gap-x-2.5 px-3 py-1.5">
                <input type="checkbox" :checked="chosen.includes(scene.id)" :aria-label="`${scene.id}`" @change="toggle(scene)" />
                <img
                    v-if="scene.thumbnail"
                    :src="addresses[scene.id]"
                    alt=""
                    class="h-[54px] w-[72px] rounded-xs bg-surround object-contain"
                    @load="came(scene.id)"
                    @error="failed(scene.id)"
                />
                <span v-else class="h-[54px] w-[72px] rounded-xs border border-line" />
                <span class="min-w-0">
                    <span class="block leading-tight font-semibold">{{ longDate(scene.time.slice(0, 10)) }}</span>
                    <span class="block truncate text-sm text-ink-2">{{ scene.title }}</span>
                    <span class="figures block text-xs text-ink-2"
                        >{{ scene.cloud === null ? 'cloud cover unknown' : `${number(scene.cloud, 2)} % cloud`
                        }}<template v-if="polygons.length"> · covers {{ percent(covers.get(scene.id), 0) }}</template></span
                    >
                    <span v-if="state(scene)" class="block text-xs font-semibold text-verdigris">{{ state(scene) }}</span>
                </span>
            </label>
        </li>
    </ul>
</template>
