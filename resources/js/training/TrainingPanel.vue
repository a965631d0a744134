<script setup lang="ts">
import { Tab, TabGroup, TabList, TabPanel, TabPanels } from '@headlessui/vue';
import { computed, ref } from 'vue';
import { useBench } from '../bench/useBench';
import ClassHistogram from './ClassHistogram.vue';
import PairTable from './PairTable.vue';
import SaidList from './SaidList.vue';
import SignaturePlot from './SignaturePlot.vue';
import TwoBands from './TwoBands.vue';
import { useUnsure } from './useUnsure';

/** What the training areas say: signatures, one band, two bands, and how well pairs of classes part. */
const bench = useBench();
const { training } = bench;
const { sure, bands: confidence, show, next } = useUnsure(bench);
const told = training.told;
const tab = ref(0);
const bands = computed(() => told.value?.bands.map((one) => one.name) ?? []);
/** The two bands that are looked at, by place. */
const x = ref<number | null>(null);
const y = ref<number | null>(null);
/** Red and near infrared tell most, where they are and nothing else was chosen. */
const usual = (role: string, other: number) => {
    const found = bands.value.findIndex((name) => name === role || name.endsWith(`.${role}`));
    return found < 0 ? Math.min(other, bands.value.length - 1) : found;
};
const across = computed({ get: () => Math.min(x.value ?? usual('red', 0), bands.value.length - 1), set: (one) => (x.value = one) });
const up = computed({ get: () => Math.min(y.value ?? usual('nir', 1), bands.value.length - 1), set: (one) => (y.value = one) });
const names = ['signatures', 'one band', 'two bands', 'pairs'];
function look(pair: { best: string[] }): void {
    [x.value, y.value] = [bands.value.indexOf(pair.best[0]!), bands.value.indexOf(pair.best[1] ?? pair.best[0]!)];
    tab.value = 2;
}
</script>

<template>
    <section class="flex h-[232px] shrink-0 flex-col border-t border-line bg-paper" aria-label="Signatures and separability" data-training-panel>
        <p v-if="!told" class="p-3 text-sm text-ink-2">
            {{
                training.areas.value?.count
                    ? training.isAsking.value
                        ? 'computing signatures …'
                        : 'The signatures appear here.'
                    : 'Draw areas of each class, in different parts of the scene: their signatures appear here at once.'
            }}
        </p>
        <div v-else class="flex min-h-0 flex-1">
            <TabGroup as="div" class="flex min-h-0 min-w-0 flex-1 flex-col" :selected-index="tab" @change="tab = $event">
                <div class="flex items-center border-b border-line px-3 text-sm">
                    <TabList class="flex items-center gap-4">
                        <Tab
                            v-for="name in names"
                            :key="name"
                            class="min-h-7 border-b-2 border-transparent"
                            :class="names[tab] === name ? 'border-verdigris! font-semibold' : 'text-ink-2'"
                            :data-said-tab="name"
                            >{{ name }}</Tab
                        >
                    </TabList>
                    <span class="ml-auto flex items-center gap-2 text-ink-2">
                        <template v-if="tab === 1 || tab === 2">
                            <select v-model="across" class="field w-auto!" aria-label="Band across" data-band-across>
                                <option v-for="(name, i) in bands" :key="name" :value="i">{{ name }}</option>
                            </select>
                            <template v-if="tab === 2"
                                ><span>and</span
                                ><select v-model="up" class="field w-auto!" aria-label="Band up" data-band-up>
                                    <option v-for="(name, i) in bands" :key="name" :value="i">{{ name }}</option>
                                </select></template
                            >
                        </template>
                    </span>
                </div>
                <TabPanels class="min-h-0 flex-1 overflow-auto" tabindex="-1">
                    <TabPanel><SignaturePlot :told="told" /></TabPanel>
                    <TabPanel><ClassHistogram :told="told" :band="across" /></TabPanel>
                    <TabPanel><TwoBands :told="told" :x="across" :y="up" /></TabPanel>
                    <TabPanel><PairTable :told="told" @look="look" /></TabPanel>
                </TabPanels>
            </TabGroup>
            <div class="flex w-[248px] shrink-0 flex-col border-l border-line">
                <p v-if="sure" class="flex items-center gap-x-3 border-b border-line px-2.5 text-sm">
                    <button
                        v-for="(name, i) in confidence"
                        :key="name"
                        class="plain min-h-7"
                        :title="`The map's ${name}, in view B`"
                        :data-show-sure="i + 1"
                        @click="show(i + 1)"
                    >
                        {{ i ? 'distance' : 'confidence' }}
                    </button>
                    <button class="plain min-h-7" title="Where to draw next" data-next-unsure @click="next">the least certain place</button>
                </p>
                <SaidList :told="told" class="min-h-0 flex-1 overflow-auto" />
            </div>
        </div>
    </section>
</template>
