<script setup lang="ts">
import { onKeyStroke, useEventListener, useTimeoutFn } from '@vueuse/core';
import { ArrowUturnLeftIcon, ArrowUturnRightIcon } from '@heroicons/vue/20/solid';
import { computed, onMounted, ref, watch } from 'vue';
import DeskPanel from '../desk/DeskPanel.vue';
import CursorLine from '../readings/CursorLine.vue';
import PinTable from '../readings/PinTable.vue';
import SpectrumPlot from '../readings/SpectrumPlot.vue';
import { useReadings } from '../readings/useReadings';
import TrailPanel from '../trail/TrailPanel.vue';
import { useTheme } from '../useTheme';
import CaptionLine from '../views/CaptionLine.vue';
import MapView from '../views/MapView.vue';
import { findItem, sameSource, throughTime } from '../views/look';
import { usePictures } from '../views/usePictures';
import WorkMenu from '../work/WorkMenu.vue';
import FindBox from './FindBox.vue';
import KeySheet from './KeySheet.vue';
import { isTyping } from './keys';
import RouteBar from './RouteBar.vue';
import { provideBench } from './useBench';

const props = defineProps<{ id: number }>();
const bench = provideBench(props.id);
const { readings, sources } = useReadings(bench);
const { theme, toggle: toggleTheme } = useTheme();
const finding = ref(false);
const keys = ref(false);

const plain = { a: usePictures(bench, bench.looks.a), b: usePictures(bench, bench.looks.b) };
const b = computed(() => (bench.live.value ? [...plain.b.value, bench.live.value] : plain.b.value));
const a = computed(() => (bench.flipped.value ? b.value : plain.a.value));
const two = computed(() => !bench.single.value && bench.curtain.value === null);

onMounted(() => bench.start());
watch(() => bench.study.value?.name, (name) => (document.title = name ? `${name} · Chorometra` : 'Chorometra'));

// a message goes by itself; what is wrong with a setting stands on the desk
const { start: later } = useTimeoutFn(() => (bench.message.value = ''), 6000, { immediate: false });
watch(bench.message, (text) => text && later());

function along(by: number): void {
    const steps = bench.steps.value;
    const at = steps.findIndex((step) => step.id === bench.step.value?.id);
    const next = steps[at < 0 ? (by > 0 ? 0 : steps.length - 1) : at + by];
    if (next) bench.openStep(next);
}
function whole(): void {
    const look = bench.looks.a.value.source ?? bench.looks.b.value.source;
    const item = bench.study.value && findItem(bench.study.value, look, bench.trials.value);
    if (item) bench.shared.fit(item.raster);
}
const toggleCurtain = () => (bench.curtain.value = bench.curtain.value === null ? 0.5 : null);
const togglePins = () => (bench.armed.value = bench.armed.value === 'pin' ? null : 'pin');

/** View B goes on to the same thing at the next date, or back; what it looks like stays. */
function inTime(by: number): void {
    const look = bench.looks.b.value;
    const times = bench.study.value ? throughTime(bench.study.value, look.source) : [];
    const next = times[times.findIndex((one) => sameSource(one.source, look.source)) + by];
    if (next && look.source) look.source = next.source;
    else bench.message.value = times.length > 1 ? `There is nothing ${by > 0 ? 'later' : 'earlier'}.` : 'View B has no other date.';
}
const toggleArea = () => (bench.armed.value = bench.armed.value === 'area' ? null : 'area');

const commands = [
    { name: 'draw the area', run: toggleArea },
    { name: 'view B: the next date', run: () => inTime(1) },
    { name: 'view B: the date before', run: () => inTime(-1) },
    { name: 'drop pins', run: togglePins },
    { name: 'curtain on or off', run: toggleCurtain },
    { name: 'one view or two', run: () => (bench.single.value = !bench.single.value) },
    { name: 'readings drawer open or closed', run: () => (bench.readings.value = !bench.readings.value) },
    { name: 'whole image into the views', run: whole },
    { name: 'light or dark', run: toggleTheme },
    { name: 'keys', run: () => (keys.value = true) },
];

onKeyStroke((event) => {
    if (isTyping(event)) return;
    const command = event.ctrlKey || event.metaKey;
    if (command && event.key.toLowerCase() === 'z') {
        event.preventDefault();
        void (event.shiftKey ? bench.redo() : bench.undo());
        return;
    }
    if (command || event.altKey || finding.value || keys.value) return;
    const act: Record<string, () => void> = {
        p: togglePins, c: toggleCurtain, v: () => (bench.single.value = !bench.single.value), w: whole, r: () => (bench.readings.value = !bench.readings.value),
        '[': () => along(-1), ']': () => along(1), '/': () => (finding.value = true), '?': () => (keys.value = true), Escape: () => ((bench.armed.value = null), (bench.sketch.value = [])),
        '<': () => inTime(-1), '>': () => inTime(1), a: toggleArea, Backspace: () => (bench.sketch.value = bench.sketch.value.slice(0, -1)),
        f: () => (bench.flipped.value = true),
    };
    const found = act[event.key];
    if (!found) return;
    if (event.key !== 'Escape') event.preventDefault();
    found();
});
useEventListener('keyup', (event: KeyboardEvent) => event.key === 'f' && (bench.flipped.value = false));
useEventListener('blur', () => (bench.flipped.value = false));
</script>

<template>
    <div class="flex h-full flex-col overflow-hidden">
        <header class="relative z-40 grid h-11 shrink-0 grid-cols-[1fr_auto_1fr] items-center gap-3 border-b border-line bg-paper px-4">
            <p class="flex min-w-0 items-baseline gap-4"><RouterLink to="/" class="font-semibold" title="All studies">Chorometra<span class="text-verdigris">.</span></RouterLink><span class="truncate text-ink-2">{{ bench.study.value?.name }}</span></p>
            <RouteBar />
            <p class="flex items-center justify-end gap-3">
                <button class="rounded p-1 hover:text-verdigris disabled:opacity-35" :disabled="!bench.counts.value.undo" title="Undo (Ctrl+Z)" aria-label="Undo" @click="bench.undo()"><ArrowUturnLeftIcon class="size-4" /></button>
                <button class="rounded p-1 hover:text-verdigris disabled:opacity-35" :disabled="!bench.counts.value.redo" title="Redo (Ctrl+Shift+Z)" aria-label="Redo" @click="bench.redo()"><ArrowUturnRightIcon class="size-4" /></button>
                <WorkMenu />
                <button class="hover:text-verdigris" title="Find (/)" @click="finding = true">find</button>
                <button class="hover:text-verdigris" @click="toggleTheme">{{ theme === 'light' ? 'dark' : 'light' }}</button>
                <button class="hover:text-verdigris" title="Keys (?)" aria-label="Keys" @click="keys = true">?</button>
            </p>
        </header>
        <p v-if="bench.problem.value" role="alert" class="border-b border-line bg-paper-2 px-4 py-1 text-madder">{{ bench.problem.value }}</p>
        <main class="grid min-h-0 flex-1 grid-cols-[212px_minmax(0,1fr)_312px] max-[1080px]:grid-cols-[180px_minmax(0,1fr)_290px]">
            <TrailPanel />
            <div class="flex min-h-0 min-w-0 flex-col">
                <div class="relative grid min-h-0 flex-1 bg-surround" :class="two ? 'grid-cols-2 gap-px' : ''">
                    <MapView side="a" :pictures="a" :behind="bench.curtain.value === null ? [] : b" :edge="bench.curtain.value" @edge="bench.curtain.value = $event" />
                    <MapView v-if="two" side="b" :pictures="b" />
                    <p class="absolute top-2 left-2 z-10 flex items-center gap-3 rounded bg-surround/85 px-2.5 py-1 text-sm text-on-surround">
                        <button class="rounded px-1" :class="bench.armed.value === 'pin' ? 'bg-white font-semibold text-black' : 'hover:text-white'" :aria-pressed="bench.armed.value === 'pin'" title="Drop pins (P)" data-arm-pin @click="togglePins">{{ bench.armed.value === 'pin' ? 'dropping pins' : 'drop pins' }}</button>
                        <button v-if="bench.armed.value === 'area'" class="rounded bg-white px-1 font-semibold text-black" aria-pressed="true" title="End without an area (Esc)" @click="bench.armed.value = null; bench.sketch.value = []">drawing the area</button>
                        <button class="hover:text-white" :aria-pressed="bench.curtain.value !== null" title="B behind A, with an edge to drag (C)" @click="toggleCurtain">{{ bench.curtain.value === null ? 'curtain' : 'end curtain' }}</button>
                        <button v-if="bench.curtain.value === null" class="hover:text-white" title="One view or two (V)" @click="bench.single.value = !bench.single.value">{{ bench.single.value ? 'two views' : 'one view' }}</button>
                        <button class="hover:text-white" title="The whole image into the views (W)" @click="whole">whole</button>
                    </p>
                </div>
                <div class="relative grid border-t border-black/60 bg-surround" :class="bench.single.value && bench.curtain.value === null ? '' : 'grid-cols-2 gap-px'">
                    <CaptionLine side="a" />
                    <CaptionLine v-if="two || bench.curtain.value !== null" side="b" />
                    <p v-if="bench.flipped.value" class="absolute left-1/2 rounded-sm bg-white px-2 text-sm font-semibold text-black" role="status">view A shows B</p>
                </div>
                <div class="flex items-center border-t border-line bg-paper">
                    <CursorLine class="min-w-0 flex-1" />
                    <p class="shrink-0 px-3 text-sm">
                        <button class="hover:text-verdigris" :aria-expanded="bench.readings.value" title="Readings (R)" @click="bench.readings.value = !bench.readings.value">{{ bench.readings.value ? 'close readings' : 'readings' }}</button>
                    </p>
                </div>
                <div v-if="bench.readings.value" class="flex h-[152px] shrink-0 border-t border-line bg-paper">
                    <PinTable class="flex-1" :readings="readings" :sources="sources" />
                    <SpectrumPlot :readings="readings" />
                </div>
            </div>
            <DeskPanel />
        </main>
        <p v-if="bench.message.value" role="status" class="sheet fixed bottom-5 left-1/2 z-50 -translate-x-1/2 px-4 py-2">{{ bench.message.value }}</p>
        <FindBox :open="finding" :commands="commands" @close="finding = false" />
        <KeySheet :open="keys" @close="keys = false" />
    </div>
</template>
