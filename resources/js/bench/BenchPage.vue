<script setup lang="ts">
import { onKeyStroke, useEventListener, useTimeoutFn } from '@vueuse/core';
import { ArrowUturnLeftIcon, ArrowUturnRightIcon } from '@heroicons/vue/20/solid';
import { computed, onMounted, ref, watch } from 'vue';
import ExerciseStrip from '../exercises/ExerciseStrip.vue';
import ToolLine from '../draw/ToolLine.vue';
import DeskPanel from '../desk/DeskPanel.vue';
import CursorLine from '../readings/CursorLine.vue';
import PegTable from '../readings/PegTable.vue';
import SegmentTable from '../readings/SegmentTable.vue';
import SpectrumPlot from '../readings/SpectrumPlot.vue';
import { useReadings } from '../readings/useReadings';
import TrailPanel from '../trail/TrailPanel.vue';
import { useTheme } from '../useTheme';
import CaptionLine from '../views/CaptionLine.vue';
import MapView from '../views/MapView.vue';
import { findItem, sameSource, throughTime } from '../views/look';
import type { Picture } from '../views/RasterLayer';
import DifferenceCard from '../views/DifferenceCard.vue';
import { usePictures } from '../views/usePictures';
import RiverPanel from '../key/RiverPanel.vue';
import TrainingPanel from '../training/TrainingPanel.vue';
import WorkMenu from '../work/WorkMenu.vue';
import { glossaryAt } from '../glossary/glossary';
import GlossarySheet from '../glossary/GlossarySheet.vue';
import FindBox from './FindBox.vue';
import KeySheet from './KeySheet.vue';
import { isRuler, ruler } from '../draw/tool';
import { isTyping } from './keys';
import RouteBar from './RouteBar.vue';
import { provideBench } from './useBench';

const props = defineProps<{ id: number }>();
const bench = provideBench(props.id);
const { drawing } = bench;
const isDropping = computed(() => drawing.tool.value?.does === 'peg');
const { readings } = useReadings(bench);
const { theme, toggle: toggleTheme } = useTheme();
/** What the drawer shows, where the segments in the views are measured. */
const drawer = ref<'pegs' | 'segments'>('pegs');
const table = computed(() => {
    for (const side of ['b', 'a'] as const) {
        const segments = bench.segments.shownIn(side);
        const measures = segments && bench.segments.mainMeasures(bench.segments.sourceOf(segments.id));
        if (measures) return { segments, measures };
    }
    return null;
});
/** While a key is made its river takes the place of the readings. */
const isRiver = ref(true);
/** While areas are drawn what they say takes that place. */
const isSaying = ref(true);
const takesPlace = computed(() => (bench.key.isOpen.value && isRiver.value) || (bench.training.isOpen.value && isSaying.value));
const finding = ref(false);
const keys = ref(false);

const plain = { a: usePictures(bench, bench.views.looks.a), b: usePictures(bench, bench.views.looks.b) };
const withSegments = (pictures: Picture[]) => pictures.map(dressed);
function dressed(one: Picture): Picture {
    if (one.style.kind === 'segments') return { ...one, segments: bench.segments.lookOf(one.item) };
    const other = bench.views.dressed.value;
    return one.style.kind === 'classes' && other?.item === one.item.id ? { ...one, style: { kind: 'classes', colours: other.colours } } : one;
}
const b = computed(() => [
    ...withSegments(bench.views.live.value ? [...plain.b.value, bench.views.live.value] : plain.b.value),
    ...bench.differences.over('b'),
    ...(bench.views.pointed.value ? [bench.views.pointed.value.b] : []),
]);
const a = computed(() =>
    bench.views.flipped.value
        ? b.value
        : [...withSegments(plain.a.value), ...bench.differences.over('a'), ...(bench.views.pointed.value ? [bench.views.pointed.value.a] : [])],
);
const two = computed(() => !bench.views.single.value && bench.views.curtain.value === null);

onMounted(() => bench.start());
watch(
    () => bench.store.study.value?.name,
    (name) => (document.title = name ? `${name} · Chorometra` : 'Chorometra'),
);

// a message goes by itself; what is wrong with a setting stands on the desk
const { start: later } = useTimeoutFn(() => (bench.store.message.value = ''), 6000, { immediate: false });
watch(bench.store.message, (text) => text && later());

function along(by: number): void {
    const steps = bench.store.steps.value;
    const at = steps.findIndex((step) => step.id === bench.desk.step.value?.id);
    const next = steps[at < 0 ? (by > 0 ? 0 : steps.length - 1) : at + by];
    if (next) bench.desk.openStep(next);
}
function whole(): void {
    const look = bench.views.looks.a.value.source ?? bench.views.looks.b.value.source;
    const item = bench.store.study.value && findItem(bench.store.study.value, look, bench.store.trials.value);
    if (item) bench.views.shared.fit(item.raster);
}
const toggleCurtain = () => (bench.views.curtain.value = bench.views.curtain.value === null ? 0.5 : null);
const togglePegs = () => drawing.arm({ does: 'peg' });

/** View B goes on to the same thing at the next date, or back; what it looks like stays. */
function inTime(by: number): void {
    const look = bench.views.looks.b.value;
    const times = bench.store.study.value ? throughTime(bench.store.study.value, look.source) : [];
    const next = times[times.findIndex((one) => sameSource(one.source, look.source)) + by];
    if (next && look.source) look.source = next.source;
    else bench.store.message.value = times.length > 1 ? `There is nothing ${by > 0 ? 'later' : 'earlier'}.` : 'View B has no other date.';
}
const toggleRuler = (shape: 'line' | 'polygon') => drawing.arm(ruler(shape));
function toggleDifferences(): void {
    if (bench.differences.maps.value) bench.differences.isOn.value = !bench.differences.isOn.value;
    else bench.store.message.value = 'Show a class map in A and another in B, on one grid, to see where they differ.';
}
const toggleArea = () => drawing.arm({ does: 'draw', into: 'area', shape: 'polygon' });

const commands = [
    { name: 'draw the area', run: toggleArea },
    { name: 'view B: the next date', run: () => inTime(1) },
    { name: 'view B: the date before', run: () => inTime(-1) },
    { name: 'drop pegs', run: togglePegs },
    { name: 'where the class maps of A and B differ', run: toggleDifferences },
    { name: 'measure a line', run: () => toggleRuler('line') },
    { name: 'measure an area', run: () => toggleRuler('polygon') },
    { name: 'curtain on or off', run: toggleCurtain },
    { name: 'one view or two', run: () => (bench.views.single.value = !bench.views.single.value) },
    { name: 'readings drawer open or closed', run: () => (bench.views.readings.value = !bench.views.readings.value) },
    { name: 'fit the image to the views', run: whole },
    { name: 'light or dark', run: toggleTheme },
    { name: 'keys', run: () => (keys.value = true) },
    { name: 'glossary', run: () => (glossaryAt.value = '') },
];

/** What is being drawn loses its last corner first. */
function undo(again: boolean): void {
    // what is being drawn along a key ends first
    if (again) void bench.key.settle().then(() => bench.store.redo());
    else if (!drawing.back()) void bench.key.settle().then(() => bench.store.undo());
}

onKeyStroke((event) => {
    if (isTyping(event)) return;
    const command = event.ctrlKey || event.metaKey;
    if (command && event.key.toLowerCase() === 'z') {
        event.preventDefault();
        undo(event.shiftKey);
        return;
    }
    if (command || event.altKey || finding.value || keys.value) return;
    const act: Record<string, () => void> = {
        p: togglePegs,
        c: toggleCurtain,
        m: () => toggleRuler('line'),
        M: () => toggleRuler('polygon'),
        v: () => (bench.views.single.value = !bench.views.single.value),
        w: whole,
        r: () => (bench.views.readings.value = !bench.views.readings.value),
        '[': () => along(-1),
        ']': () => along(1),
        '/': () => (finding.value = true),
        '?': () => (keys.value = true),
        Escape: () => (drawing.tool.value ? drawing.leave() : (bench.segments.chosen.value = null)),
        '<': () => inTime(-1),
        '>': () => inTime(1),
        a: toggleArea,
        d: toggleDifferences,
        Backspace: () => drawing.back(),
        f: () => (bench.views.flipped.value = true),
    };
    const answer = ({ '1': 'yes', '2': 'no' } as const)[event.key];
    if (answer && bench.key.isOpen.value && bench.key.examples.learning.value) {
        if (!event.repeat) bench.key.examples.begin(answer);
        return;
    }
    const place = /^[1-9]$/.test(event.key) && bench.training.isOpen.value ? bench.training.classes.value[Number(event.key) - 1] : undefined;
    if (place !== undefined) {
        bench.training.current.value = place;
        return;
    }
    const found = act[event.key];
    if (!found) return;
    if (event.key !== 'Escape') event.preventDefault();
    found();
});
// with a tool in hand, space held moves the picture
useEventListener('keydown', (event: KeyboardEvent) => {
    if (event.key !== ' ' || !drawing.tool.value || isTyping(event) || (event.target as HTMLElement).closest('button, a, summary, input')) return;
    event.preventDefault();
    drawing.isMoving.value = true;
});
useEventListener(['keyup', 'blur'], (event: Event) => {
    if (event.type === 'blur' || (event as KeyboardEvent).key === ' ') drawing.isMoving.value = false;
});
useEventListener('keyup', (event: KeyboardEvent) => event.key === 'f' && (bench.views.flipped.value = false));
useEventListener('keyup', (event: KeyboardEvent) => '12'.includes(event.key) && void bench.key.examples.end());
useEventListener('blur', () => void bench.key.examples.end());
useEventListener('blur', () => (bench.views.flipped.value = false));
</script>

<template>
    <div class="flex h-full flex-col overflow-hidden">
        <header class="relative z-40 grid h-11 shrink-0 grid-cols-[1fr_auto_1fr] items-center gap-3 border-b border-line bg-paper px-4">
            <div class="flex min-w-0 items-baseline gap-4">
                <RouterLink to="/" class="font-semibold" title="All studies">Chorometra<span class="text-verdigris">.</span></RouterLink>
                <h1 class="truncate text-ink-2">{{ bench.store.study.value?.name }}</h1>
            </div>
            <RouteBar />
            <p class="flex items-center justify-end gap-3">
                <button
                    v-if="bench.exercise.exercise.value && !bench.exercise.progress.value?.isOpen"
                    class="plain"
                    :title="`Take up the exercise “${bench.exercise.exercise.value.title}” again`"
                    data-exercise-take-up
                    @click="bench.exercise.takeUp"
                >
                    exercise
                </button>
                <button
                    class="rounded p-1 hover:text-verdigris disabled:opacity-35"
                    :disabled="!bench.store.counts.value.undo && !drawing.sketch.value"
                    title="Undo (Ctrl+Z)"
                    aria-label="Undo"
                    @click="undo(false)"
                >
                    <ArrowUturnLeftIcon class="size-4" />
                </button>
                <button
                    class="rounded p-1 hover:text-verdigris disabled:opacity-35"
                    :disabled="!bench.store.counts.value.redo"
                    title="Redo (Ctrl+Shift+Z)"
                    aria-label="Redo"
                    @click="undo(true)"
                >
                    <ArrowUturnRightIcon class="size-4" />
                </button>
                <WorkMenu />
                <button class="hover:text-verdigris" title="Find (/)" @click="finding = true">find</button>
                <button class="hover:text-verdigris" @click="toggleTheme">{{ theme === 'light' ? 'dark' : 'light' }}</button>
                <button class="hover:text-verdigris" title="Keys (?)" aria-label="Keys" @click="keys = true">?</button>
            </p>
        </header>
        <ExerciseStrip v-if="bench.exercise.exercise.value && bench.exercise.progress.value?.isOpen" />
        <p v-if="bench.store.problem.value" role="alert" class="border-b border-line bg-paper-2 px-4 py-1 text-madder">{{ bench.store.problem.value }}</p>
        <main class="grid min-h-0 flex-1 grid-cols-[212px_minmax(0,1fr)_312px] max-[1080px]:grid-cols-[180px_minmax(0,1fr)_290px]">
            <TrailPanel />
            <div class="flex min-h-0 min-w-0 flex-col">
                <div class="relative grid min-h-0 flex-1 bg-surround" :class="two ? 'grid-cols-2 gap-px' : ''">
                    <MapView
                        side="a"
                        :pictures="a"
                        :behind="bench.views.curtain.value === null ? [] : b"
                        :edge="bench.views.curtain.value"
                        @edge="bench.views.curtain.value = $event"
                    />
                    <MapView v-if="two" side="b" :pictures="b" />
                    <DifferenceCard v-if="bench.differences.isOn.value" />
                    <p class="absolute top-2 left-2 z-10 flex items-center gap-3 rounded bg-surround/85 px-2.5 py-1 text-sm text-on-surround">
                        <button
                            class="rounded px-1"
                            :class="isDropping ? 'bg-white font-semibold text-black' : 'hover:text-white'"
                            :aria-pressed="isDropping"
                            title="Drop pegs (P)"
                            data-arm-peg
                            @click="togglePegs"
                        >
                            {{ isDropping ? 'dropping pegs' : 'drop pegs' }}
                        </button>
                        <button
                            v-if="!isRuler(drawing.tool.value)"
                            class="hover:text-white"
                            title="Measure a line or an area (M)"
                            data-arm-ruler
                            @click="toggleRuler('line')"
                        >
                            ruler
                        </button>
                        <ToolLine />
                        <button
                            class="hover:text-white"
                            :aria-pressed="bench.views.curtain.value !== null"
                            title="B behind A, with an edge to drag (C)"
                            @click="toggleCurtain"
                        >
                            {{ bench.views.curtain.value === null ? 'curtain' : 'end curtain' }}
                        </button>
                        <button
                            v-if="bench.views.curtain.value === null"
                            class="hover:text-white"
                            title="One or two views (V)"
                            @click="bench.views.single.value = !bench.views.single.value"
                        >
                            {{ bench.views.single.value ? 'two views' : 'one view' }}
                        </button>
                        <button class="hover:text-white" title="Fit the image to the views (W)" @click="whole">whole</button>
                        <button
                            v-if="bench.differences.maps.value"
                            class="hover:text-white"
                            :aria-pressed="bench.differences.isOn.value"
                            title="Where the class maps of A and B differ (D)"
                            data-differs
                            @click="toggleDifferences"
                        >
                            {{ bench.differences.isOn.value ? 'show everything' : 'differences' }}
                        </button>
                    </p>
                </div>
                <div
                    class="relative grid border-t border-black/60 bg-surround"
                    :class="bench.views.single.value && bench.views.curtain.value === null ? '' : 'grid-cols-2 gap-px'"
                >
                    <CaptionLine side="a" />
                    <CaptionLine v-if="two || bench.views.curtain.value !== null" side="b" />
                    <p v-if="bench.views.flipped.value" class="absolute left-1/2 rounded-sm bg-white px-2 text-sm font-semibold text-black" role="status">
                        view A shows B
                    </p>
                </div>
                <div class="flex items-center border-t border-line bg-paper">
                    <CursorLine class="min-w-0 flex-1" />
                    <p class="flex shrink-0 gap-4 px-3 text-sm">
                        <button
                            v-if="table && bench.views.readings.value && !takesPlace"
                            class="hover:text-verdigris"
                            data-drawer
                            @click="drawer = drawer === 'pegs' ? 'segments' : 'pegs'"
                        >
                            {{ drawer === 'pegs' ? 'table of segments' : 'table of pegs' }}
                        </button>
                        <button v-if="bench.key.isOpen.value" class="hover:text-verdigris" data-river-or-readings @click="isRiver = !isRiver">
                            {{ isRiver ? 'readings instead' : 'the key' }}
                        </button>
                        <button v-if="bench.training.isOpen.value" class="hover:text-verdigris" data-said-or-readings @click="isSaying = !isSaying">
                            {{ isSaying ? 'readings instead' : 'signatures' }}
                        </button>
                        <button
                            v-if="!takesPlace"
                            class="hover:text-verdigris"
                            :aria-expanded="bench.views.readings.value"
                            title="Readings (R)"
                            @click="bench.views.readings.value = !bench.views.readings.value"
                        >
                            {{ bench.views.readings.value ? 'close readings' : 'readings' }}
                        </button>
                    </p>
                </div>
                <RiverPanel v-if="bench.key.isOpen.value && isRiver" />
                <TrainingPanel v-else-if="bench.training.isOpen.value && isSaying" />
                <div v-else-if="bench.views.readings.value" class="flex h-[152px] shrink-0 border-t border-line bg-paper">
                    <SegmentTable v-if="table && drawer === 'segments'" :key="table.measures.id" v-bind="table" />
                    <template v-else>
                        <PegTable class="flex-1" :readings="readings" />
                        <SpectrumPlot :readings="readings" />
                    </template>
                </div>
            </div>
            <DeskPanel />
        </main>
        <p v-if="bench.store.message.value" role="status" class="sheet fixed bottom-5 left-1/2 z-50 -translate-x-1/2 px-4 py-2">
            {{ bench.store.message.value }}
        </p>
        <div
            v-if="bench.store.conflict.value"
            role="alert"
            class="sheet fixed bottom-5 left-1/2 z-50 flex w-max max-w-[90vw] -translate-x-1/2 items-center gap-3 px-4 py-2"
        >
            <p>{{ bench.store.conflict.value.text }}</p>
            <button class="plain shrink-0" @click="bench.store.conflict.value.overwrite()">overwrite theirs</button>
            <button class="plain shrink-0" @click="bench.store.conflict.value = null">keep theirs</button>
        </div>
        <FindBox :open="finding" :commands="commands" @close="finding = false" />
        <KeySheet :open="keys" @close="keys = false" />
        <GlossarySheet />
    </div>
</template>
