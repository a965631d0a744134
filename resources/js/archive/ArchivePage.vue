<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue';
import PageHead from '../PageHead.vue';
import { number, percent } from '../plots/format';
import OrderLine from './OrderLine.vue';
import SceneList from './SceneList.vue';
import SceneMap from './SceneMap.vue';
import SceneTimeline from './SceneTimeline.vue';
import { useArchive } from './useArchive';

/** The imagery archive: search by area, days and cloud; look, choose, order, and watch it come. */
const props = defineProps<{ id: number }>();
const store = useArchive(props.id);
const { study, archives, archive, bounds, from, to, cloud, found, missions, searching, problem, chosen, groups, polygons, scenes, picked, covered, orders } =
    store;
const adding = ref<string | null>(null);
const names = ['west', 'south', 'east', 'north'];
const allGroups = ['multispectral', 'pan', 'thermal', 'cirrus', 'quality'];
const usesArea = computed(() => study.value?.area?.bounds.every((value, i) => Math.abs(value - Number(bounds.value[i])) < 1e-4) ?? false);
const coming = computed(() =>
    orders.value
        .filter((step) => step.state !== 'done' && step.state !== 'stale')
        .concat(orders.value.filter((step) => step.state === 'done' || step.state === 'stale').slice(0, 3)),
);
const about = (name: string) => (problem.value?.about === name ? problem.value.text : null);
const bytes = computed(() => picked.value.reduce((sum, scene) => sum + (scene.bytes ?? 0), 0));

onMounted(() => store.start());
watch(
    () => study.value?.name,
    (name) => (document.title = name ? `Archive · ${name} · Chorometra` : 'Chorometra'),
);

function tick(list: string[], one: string, on: boolean): string[] {
    return on ? [...list, one] : list.filter((other) => other !== one);
}
async function add(): Promise<void> {
    if (adding.value && (await store.add(adding.value))) adding.value = null;
}
</script>

<template>
    <div class="flex h-full flex-col overflow-hidden">
        <PageHead
            ><RouterLink :to="`/studies/${id}`" class="text-ink-2 hover:text-verdigris" data-to-bench>{{ study?.name }}</RouterLink>
            <h1 class="font-semibold">Archive</h1></PageHead
        >
        <main class="grid min-h-0 flex-1 grid-cols-[268px_minmax(0,1fr)_316px]">
            <form class="min-h-0 space-y-3 overflow-auto border-r border-line p-4" @submit.prevent="store.search()">
                <div>
                    <label class="text-sm text-ink-2"
                        >archive<select v-model="archive" class="field text-ink" data-archive>
                            <option v-for="one in archives" :key="one.address" :value="one.address">{{ one.name }}</option>
                        </select></label
                    >
                    <p class="mt-1 flex gap-3 text-sm">
                        <button type="button" class="plain" data-add-archive @click="adding = adding === null ? '' : null">
                            {{ adding === null ? 'add another' : 'cancel' }}</button><button
                            v-if="archive !== 'stand-in'"
                            type="button"
                            class="plain text-ink-2!"
                            @click="store.forget()"
                        >
                            forget this one
                        </button>
                    </p>
                    <div v-if="adding !== null" class="mt-1">
                        <label class="text-sm text-ink-2"
                            >address of a STAC API<input
                                v-model="adding"
                                class="field text-ink"
                                placeholder="https://"
                                data-address
                                @keydown.enter.prevent="add" /></label
                        ><button type="button" class="action mt-1" @click="add">Add it</button>
                    </div>
                    <p v-if="about('archive')" role="alert" class="mt-1 text-sm text-madder" data-problem>{{ about('archive') }}</p>
                </div>
                <fieldset>
                    <legend class="text-sm text-ink-2">area, degrees</legend>
                    <div class="grid grid-cols-2 gap-x-3">
                        <label v-for="(name, i) in names" :key="name" class="text-xs text-ink-2"
                            >{{ name }}<input v-model="bounds[i]" class="field figures text-ink" inputmode="decimal" :data-bound="name"
                        /></label>
                    </div>
                    <p class="mt-1 text-sm">
                        <button v-if="study?.area && !usesArea" type="button" class="plain" @click="store.useArea()">the study's area</button
                        ><span v-else-if="usesArea" class="text-ink-2">the study's area</span
                        ><span v-else class="text-ink-2">Empty: everywhere. An area drawn on the bench is used.</span>
                    </p>
                    <p v-if="about('bounds')" role="alert" class="text-sm text-madder">{{ about('bounds') }}</p>
                </fieldset>
                <fieldset class="grid grid-cols-2 gap-x-3">
                    <legend class="text-sm text-ink-2">days</legend>
                    <label class="text-xs text-ink-2">from<input v-model="from" class="field figures text-ink" placeholder="2031-05-12" data-from /></label>
                    <label class="text-xs text-ink-2">to<input v-model="to" class="field figures text-ink" placeholder="any" data-to /></label>
                    <p v-if="about('from') || about('to')" role="alert" class="col-span-2 text-sm text-madder">{{ about('from') ?? about('to') }}</p>
                </fieldset>
                <label class="block text-sm text-ink-2"
                    >cloud at most <span class="figures text-ink">{{ cloud }} %</span
                    ><input v-model.number="cloud" type="range" min="0" max="100" step="5" class="block w-full" data-cloud
                /></label>
                <button class="action-first w-full" :disabled="searching" data-search>{{ searching ? 'searching …' : 'Search' }}</button>
                <fieldset v-if="found?.scenes.length" class="border-t border-line pt-2">
                    <legend class="sr-only">missions</legend>
                    <label
                        v-for="one in found.collections.filter((other) => found!.scenes.some((scene) => scene.collection === other.id))"
                        :key="one.id"
                        class="flex items-baseline gap-2 text-sm"
                        ><input
                            type="checkbox"
                            :checked="missions.includes(one.id)"
                            @change="missions = tick(missions, one.id, ($event.target as HTMLInputElement).checked)"
                        /><span>{{ one.title }}</span
                        ><span class="figures ml-auto text-ink-2">{{ found.scenes.filter((scene) => scene.collection === one.id).length }}</span></label
                    >
                </fieldset>
                <p v-if="found" class="text-sm text-ink-2" role="status" data-found>
                    {{ found.scenes.length }} scenes found{{ found.more ? ', and there are more: narrow the days' : ''
                    }}{{ found.again ? `; the archive was busy and was asked again${found.again > 1 ? ` ${found.again} times` : ''}` : '' }}.
                </p>
            </form>
            <div class="flex min-h-0 min-w-0 flex-col">
                <SceneTimeline v-if="scenes.length" :store="store" />
                <p v-else-if="found && !searching" class="p-4 text-ink-2">No scene found. Allow more cloud, more days, or a larger area.</p>
                <SceneMap class="flex-1" :store="store" />
                <div class="grid max-h-48 min-h-0 shrink-0 grid-cols-[1fr_1fr] border-t border-line">
                    <div class="space-y-1.5 p-3">
                        <p data-picked>
                            <template v-if="picked.length"
                                ><b>{{ picked.length }} chosen</b
                                ><template v-if="polygons.length"
                                    >, together they cover <span class="figures">{{ percent(covered, 0) }}</span> of the area</template
                                ><template v-if="bytes"
                                    >; <span class="figures">{{ number(bytes / 1e6, 2) }} MB</span> ready</template
                                >.</template
                            ><span v-else class="text-ink-2">Choose scenes on the timeline, the map or the list.</span>
                        </p>
                        <p class="flex flex-wrap gap-x-3 text-sm">
                            <span class="text-ink-2">band groups</span
                            ><label v-for="group in allGroups" :key="group" class="flex items-center gap-1"
                                ><input
                                    type="checkbox"
                                    :checked="groups.includes(group)"
                                    @change="groups = tick(groups, group, ($event.target as HTMLInputElement).checked)"
                                />{{ group }}</label
                            >
                        </p>
                        <p v-if="problem && !['archive', 'bounds', 'from', 'to'].includes(problem.about ?? '')" role="alert" class="text-sm text-madder">
                            {{ problem.text }}
                        </p>
                        <button class="action-first" :disabled="!picked.length || !groups.length" data-order @click="store.order()">
                            Order {{ chosen.length || '' }}
                        </button>
                    </div>
                    <div class="min-h-0 overflow-auto border-l border-line p-3" data-coming>
                        <p v-if="!coming.length" class="text-ink-2">Ordered scenes appear here and in the study.</p>
                        <OrderLine v-for="step in coming" :key="step.id" :line="step" :store="store" />
                    </div>
                </div>
            </div>
            <SceneList class="border-l border-line" :store="store" />
        </main>
    </div>
</template>
