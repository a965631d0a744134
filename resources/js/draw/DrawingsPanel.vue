<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Drawing, Mark } from '../api/client';
import { useBench } from '../bench/useBench';
import { isSame } from '../views/vectors/useVectors';
import { newLine } from '../views/vectors/styles';
import { corners, type Plain } from './corners';
import { sameTool, shapeNames, shapes, type Tool } from './tool';

/** Points, lines and areas that people draw, by name; each drawing can be the input of a step. */
const bench = useBench();
const { drawing, store, views } = bench;
const SHOWN = 100;
const name = ref('');
const marks = computed(() => drawing.marks.get(drawing.opened.value ?? -1) ?? []);
const legend = computed(() => store.study.value?.legend ?? []);
const has = (tool: Tool) => sameTool(drawing.tool.value, tool);
const isShown = (one: Drawing) => [views.looks.a, views.looks.b].every((look) => look.value.lines.some((line) => line.drawing === one.id));
const kindOf = (mark: Mark) => ({ Point: 'point', LineString: 'line', Polygon: 'area' })[mark.geometry?.type ?? ''] ?? 'mark';

async function add(): Promise<void> {
    const id = await drawing.create(name.value.trim() || `drawing ${drawing.own.value.length + 1}`);
    if (id === null) return;
    name.value = '';
    drawing.opened.value = id;
    show(id, true);
}
function show(id: number, isWanted: boolean): void {
    for (const look of [views.looks.a, views.looks.b]) {
        const line = newLine({ source: null, drawing: id });
        look.value.lines = [...look.value.lines.filter((one) => !isSame(one, line)), ...(isWanted ? [line] : [])];
    }
}
function goTo(mark: Mark): void {
    const places = corners(mark.geometry as Plain).map((corner) => corner.place);
    const [xs, ys] = [places.map((place) => place[0]), places.map((place) => place[1])];
    const [west, south, east, north] = [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
    if (west === east && south === north) views.shared.view.setCenter([west, south]);
    else views.shared.view.fit([west, south, east, north], { size: views.shared.size.value, padding: [60, 60, 60, 60] });
}
</script>

<template>
    <section class="border-t border-line pt-2" data-drawings>
        <h3 class="font-semibold">Drawn by hand</h3>
        <p v-if="!drawing.own.value.length" class="text-ink-2">Your own points, lines and areas: for subsets, measurements or notes.</p>
        <ul>
            <li v-for="one in drawing.own.value" :key="one.id" class="py-1" :data-drawing="one.name">
                <div class="flex items-baseline gap-x-3">
                    <button
                        class="min-w-0 flex-1 truncate text-left hover:text-verdigris"
                        :class="drawing.opened.value === one.id ? 'font-semibold' : ''"
                        :aria-expanded="drawing.opened.value === one.id"
                        @click="drawing.opened.value = drawing.opened.value === one.id ? null : one.id"
                    >
                        {{ one.name }} <span class="figures font-normal text-ink-2">{{ one.count }}</span>
                    </button>
                    <label class="flex items-center gap-1 text-sm text-ink-2"
                        ><input type="checkbox" :checked="isShown(one)" @change="show(one.id, ($event.target as HTMLInputElement).checked)" />in the
                        views</label
                    >
                </div>
                <div v-if="drawing.opened.value === one.id" class="mt-1 space-y-1.5 pl-3 text-sm">
                    <p class="flex flex-wrap gap-x-3">
                        <span class="text-ink-2">draw</span>
                        <button
                            v-for="shape in shapes"
                            :key="shape"
                            class="plain"
                            :class="has({ does: 'draw', into: one.id, shape }) ? 'font-semibold' : ''"
                            :aria-pressed="has({ does: 'draw', into: one.id, shape })"
                            :data-shape="shape"
                            @click="drawing.arm({ does: 'draw', into: one.id, shape })"
                        >
                            {{ shapeNames[shape] }}
                        </button>
                        <button
                            v-if="one.count"
                            class="plain ml-auto"
                            :class="has({ does: 'change', of: one.id }) ? 'font-semibold' : ''"
                            :aria-pressed="has({ does: 'change', of: one.id })"
                            data-change
                            @click="drawing.arm({ does: 'change', of: one.id })"
                        >
                            move corners
                        </button>
                    </p>
                    <ol v-if="marks.length" class="max-h-48 overflow-auto">
                        <li
                            v-for="mark in marks.slice(0, SHOWN)"
                            :key="mark.key"
                            class="grid grid-cols-[4.2rem_1fr_1fr_auto] items-center gap-x-2"
                            :data-mark-number="mark.number"
                        >
                            <button class="plain text-left" title="go there" @click="goTo(mark)">
                                <span class="figures">{{ mark.number }}</span> {{ kindOf(mark) }}
                            </button>
                            <input
                                class="field"
                                list="classes"
                                maxlength="120"
                                placeholder="class"
                                :aria-label="`Class of mark ${mark.number}`"
                                :value="mark.class ?? ''"
                                @change="
                                    drawing.change(
                                        mark,
                                        { class: ($event.target as HTMLInputElement).value.trim() || null },
                                        `mark ${mark.number} labelled something else`,
                                    )
                                "
                            />
                            <input
                                class="field"
                                maxlength="1000"
                                placeholder="note"
                                :aria-label="`Note on mark ${mark.number}`"
                                :value="mark.note ?? ''"
                                @change="
                                    drawing.change(mark, { note: ($event.target as HTMLInputElement).value.trim() || null }, `note on mark ${mark.number}`)
                                "
                            />
                            <button
                                class="px-1 hover:text-madder"
                                :aria-label="`Remove mark ${mark.number}`"
                                title="remove it"
                                @click="drawing.removeMark(one.id, mark)"
                            >
                                ×
                            </button>
                        </li>
                    </ol>
                    <p v-if="marks.length > SHOWN" class="text-ink-2">and {{ marks.length - SHOWN }} more, in the views and in the file.</p>
                    <datalist id="classes"><option v-for="entry in legend" :key="entry.name" :value="entry.name" /></datalist>
                    <p class="flex flex-wrap gap-x-3">
                        <a v-if="one.count" class="plain" :href="`/api/drawings/${one.id}/file`" download>GeoJSON</a>
                        <button v-if="one.count" class="plain" @click="drawing.clear(one.id)">remove all</button>
                        <button v-else class="plain" data-remove-drawing @click="drawing.remove(one.id)">remove the drawing</button>
                    </p>
                    <label class="flex items-center gap-2 text-ink-2"
                        >name<input
                            class="field text-ink"
                            maxlength="60"
                            :value="one.name"
                            @change="drawing.rename(one.id, ($event.target as HTMLInputElement).value)"
                    /></label>
                </div>
            </li>
        </ul>
        <form class="mt-1 flex items-baseline gap-x-3" @submit.prevent="add">
            <input
                v-model="name"
                class="field min-w-0 flex-1"
                maxlength="60"
                placeholder="name: fields, banks …"
                aria-label="Name of a new drawing"
                data-new-drawing
            />
            <button class="plain" type="submit">start a drawing</button>
        </form>
    </section>
</template>
