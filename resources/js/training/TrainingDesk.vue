<script setup lang="ts">
import { watchDebounced } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { api, must, upload } from '../api/client';
import { queries } from '../api/queries';
import { useBench } from '../bench/useBench';
import { listOf } from '../desk/listOf';
import type { Form } from '../desk/useForm';
import { sameTool, shapeNames, type Shape, type Tool } from '../draw/tool';
import { hectares, number } from '../plots/format';
import ClassAreas from './ClassAreas.vue';
import { trainingAmong, trainingName } from './useTraining';

/** Training areas: the classes, how areas are drawn, what stands against teaching, and the way to where it is unsure. */
const props = defineProps<{ form: Form; about: (name: string) => string | null }>();
const bench = useBench();
const { drawing, store, training, views } = bench;
const { areas, classes, current, told } = training;

const mine = computed(() => drawing.own.value);
const made = computed(() =>
    store.steps.value.flatMap((step) =>
        step.items
            .filter((item) => ['features', 'outlines', 'points'].includes(item.type))
            .map((item) => ({
                value: `step/${step.id}/${item.output}`,
                label: `${step.number} ${step.called ?? step.title.toLowerCase()}`,
                step: step.id,
                output: item.output,
            })),
    ),
);
const chosen = computed(() => {
    const input = props.form.draft.value.inputs.areas;
    return input?.drawing ? `drawing/${input.drawing}` : input?.step ? `step/${input.step}/${input.output ?? 'result'}` : '';
});
const isOther = computed(() => chosen.value.startsWith('step/'));
function set(input: object | null): void {
    props.form.edit((draft) => {
        if (input) draft.inputs.areas = input;
        else delete draft.inputs.areas;
    });
}
async function choose(value: string): Promise<void> {
    const [what, id, output] = value.split('/');
    if (what === 'new') await begin();
    else if (what === 'drawing') set({ drawing: Number(id) });
    else if (what === 'step') set({ step: Number(id), output });
}
async function begin(): Promise<void> {
    const id = await drawing.create(trainingName(new Set(mine.value.map((one) => one.name))));
    if (id !== null) set({ drawing: id });
}
// what was drawn last for training is at hand
watch(
    [chosen, mine],
    () => {
        const found = trainingAmong(mine.value);
        if (!chosen.value && found && !bench.desk.step.value) set({ drawing: found.id });
    },
    { immediate: true },
);

const name = ref('');
async function add(): Promise<void> {
    const names = name.value
        .split(',')
        .map((one) => one.trim())
        .filter(Boolean);
    if (!areas.value) await begin();
    if (names.length) await training.plan({ names });
    name.value = '';
}
const published = ref<{ id: string; name: string; source: string; classes: unknown[] }[]>([]);
void queries.fetchQuery({ queryKey: ['legends'], queryFn: () => must(api.GET('/legends')) }).then((found) => (published.value = found));
async function sent(event: Event): Promise<{ upload: string; facts: Record<string, unknown>; what: string } | null> {
    const files = [...((event.target as HTMLInputElement).files ?? [])];
    (event.target as HTMLInputElement).value = '';
    if (!files.length) return null;
    return (
        ((await store.act(() => upload(bench.id, files, () => undefined).done)) as
            { upload: string; facts: Record<string, unknown>; what: string } | undefined) ?? null
    );
}
async function legendFile(event: Event): Promise<void> {
    const file = await sent(event);
    if (file) await training.plan({ upload: file.upload });
}
/** A file of areas, until it is said which of its properties tells the class. */
const arrived = ref<{ upload: string; fields: string[] } | null>(null);
async function areasFile(event: Event): Promise<void> {
    const file = await sent(event);
    if (!file) return;
    if (!areas.value) await begin();
    const fields = String(file.facts.fields ?? file.facts.attributes ?? '')
        .split(',')
        .map((one) => one.trim())
        .filter(Boolean);
    const usual = fields.find((one) => one === 'class');
    if (usual && areas.value) await drawing.take(areas.value.id, file.upload, usual);
    else arrived.value = { upload: file.upload, fields };
}
async function takeField(field: string): Promise<void> {
    if (field && arrived.value && areas.value && (await drawing.take(areas.value.id, arrived.value.upload, field))) arrived.value = null;
}

const shapes: Shape[] = ['polygon', 'free', 'box', 'point'];
const tools = computed<{ tool: Tool; label: string; title: string }[]>(() => {
    const [into, own] = [areas.value?.id ?? -1, current.value ?? ''];
    return [
        ...shapes.map((shape) => ({
            tool: { does: 'draw' as const, into, shape, class: own },
            label: shape === 'polygon' ? 'corners' : shapeNames[shape],
            title: '',
        })),
        { tool: { does: 'grow', into, class: own }, label: 'from a seed', title: 'Similar pixels join the seed' },
        { tool: { does: 'take', into, class: own }, label: 'a segment', title: 'The outline of a segment' },
        { tool: { does: 'change', of: into }, label: 'move, reshape', title: 'Corners, or a whole area' },
    ];
});
// another class is chosen: the tool in hand draws for it
watch(current, (own) => {
    const tool = drawing.tool.value;
    if (tool && own && 'class' in tool && tool.class && tool.class !== own && 'into' in tool && tool.into === areas.value?.id)
        drawing.tool.value = { ...tool, class: own };
});

const rows = computed(() =>
    classes.value.map((one) => {
        const said = training.ofClass(one);
        const count = training.marksOf(one).length;
        return {
            name: one,
            colour: training.colourOf(one),
            count,
            text: said ? `${number(said.pixels)} ${told.value?.unit === 'segments' ? 'segments' : 'px'}` : count ? '' : 'none yet',
            more:
                said && told.value?.unit === 'pixels'
                    ? `${said.hectares === null ? '' : `${hectares(said.hectares)}, `}in ${said.parts} of 9 parts of the scene`
                    : '',
        };
    }),
);
const unnamed = computed(() => training.marks.value.filter((mark) => !mark.class));

// trying while drawing
const follows = ref(false);
watchDebounced(
    () => (follows.value && told.value ? JSON.stringify([areas.value?.stamp, training.asked.value, views.shared.moved.value]) : null),
    async (now) => {
        if (now !== null && !props.form.trying.value && (told.value?.classes.length ?? 0) > 1) await props.form.attempt();
    },
    { debounce: 350 },
);
const pressed = (tool: Tool) => sameTool(drawing.tool.value, tool);
</script>

<template>
    <section class="space-y-2.5 border-b border-line pb-3" data-training-desk>
        <label class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2"
            ><span class="text-ink-2">areas</span
            ><select class="field" :value="chosen" data-areas @change="choose(($event.target as HTMLSelectElement).value)">
                <option v-if="!chosen" value="">choose</option>
                <option v-for="one in mine" :key="one.id" :value="`drawing/${one.id}`">{{ one.name }} ({{ one.count }})</option>
                <option v-for="one in made" :key="one.value" :value="one.value">{{ one.label }}</option>
                <option value="new">draw new ones</option>
            </select></label
        >
        <label v-if="form.draft.value.inputs.segments" class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2 text-sm" title="Measures, separated by commas"
            ><span class="text-ink-2">features</span
            ><input
                class="field"
                :value="listOf(form.valueOf('bands')).join(', ')"
                placeholder="means of all bands; or mean(nir), ndvi(), area …"
                data-segment-measures
                @change="form.set('bands', listOf(($event.target as HTMLInputElement).value))"
        /></label>
        <p v-if="about('areas')" role="alert" class="text-sm text-madder">{{ about('areas') }}</p>
        <label v-if="isOther" class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2 text-sm"
            ><span class="text-ink-2">class by</span
            ><input
                class="field"
                :value="form.valueOf('class-field')"
                data-class-field
                @change="form.set('class-field', ($event.target as HTMLInputElement).value)"
        /></label>

        <template v-if="areas">
            <div class="-mx-1" role="radiogroup" aria-label="Class to draw">
                <div
                    v-for="row in rows"
                    :key="row.name"
                    class="flex items-center gap-2 rounded-sm px-1"
                    :class="row.name === current ? 'bg-paper-2' : ''"
                    :data-training-class="row.name"
                >
                    <input
                        type="color"
                        class="size-6 shrink-0 cursor-pointer border-0 bg-transparent p-0"
                        :value="row.colour"
                        :aria-label="`Colour of ${row.name}`"
                        @change="training.recolour(row.name, ($event.target as HTMLInputElement).value)"
                    />
                    <button
                        class="min-h-7 min-w-0 flex-1 truncate text-left"
                        :class="row.name === current ? 'font-semibold' : ''"
                        role="radio"
                        :aria-checked="row.name === current"
                        :title="row.more"
                        @click="current = row.name"
                    >
                        {{ row.name }}
                    </button>
                    <span class="figures text-sm text-ink-2">{{ row.count ? `${row.count} · ` : '' }}{{ row.text }}</span>
                </div>
            </div>
            <p v-if="unnamed.length" class="text-sm text-ochre">
                {{ unnamed.length }} areas have no class.
                <button v-if="current" class="plain" @click="drawing.reclass(unnamed, current, `${unnamed.length} areas labelled ${current}`)">
                    Add them to {{ current }}
                </button>
            </p>
            <p v-if="current" class="flex flex-wrap gap-x-3 gap-y-0.5 text-sm" role="group" :aria-label="`Draw ${current}`">
                <button
                    v-for="one in tools"
                    :key="one.label"
                    class="plain min-h-6"
                    :class="pressed(one.tool) ? 'font-semibold' : ''"
                    :aria-pressed="pressed(one.tool)"
                    :title="one.title"
                    :data-training-tool="one.label"
                    @click="drawing.arm(one.tool)"
                >
                    {{ one.label }}
                </button>
            </p>
            <label v-if="told" class="flex items-center gap-1 text-sm"><input v-model="follows" type="checkbox" data-follow />try while drawing</label>
            <ClassAreas v-if="current" :name="current" />
        </template>

        <form class="flex items-baseline gap-3 text-sm" @submit.prevent="add">
            <input
                v-model="name"
                class="field min-w-0 flex-1"
                maxlength="300"
                placeholder="a class: water, wood …"
                aria-label="New class"
                list="known-classes"
                data-new-class
            />
            <button class="plain" type="submit">add the class</button>
            <datalist id="known-classes"><option v-for="one in store.study.value?.legend ?? []" :key="one.name" :value="one.name" /></datalist>
        </form>
        <details class="text-sm" :open="(!classes.length && Boolean(areas)) || arrived !== null">
            <summary class="text-ink-2">import classes and areas</summary>
            <ul class="mt-1 space-y-1">
                <li v-for="one in published" :key="one.id">
                    <button class="plain" :title="one.source" :data-published="one.id" @click="training.plan({ published: one.id })">{{ one.name }}</button>
                    <span class="text-ink-2"> · {{ one.source.split(',')[0] }}, {{ /\d{4}/.exec(one.source)?.[0] }}, {{ one.classes.length }} classes</span>
                </li>
                <li>
                    <label class="plain cursor-pointer"
                        >a legend from a file<input type="file" class="sr-only" accept=".json" data-legend-file @change="legendFile"
                    /></label>
                </li>
                <li>
                    <label class="plain cursor-pointer"
                        >areas from a file<input
                            type="file"
                            class="sr-only"
                            multiple
                            accept=".geojson,.json,.gpkg,.shp,.dbf,.shx,.prj,.zip"
                            data-areas-file
                            @change="areasFile"
                    /></label>
                </li>
            </ul>
            <label v-if="arrived" class="mt-1 grid grid-cols-[1fr_1fr] items-center gap-2"
                ><span>property that holds the class</span>
                <select v-if="arrived.fields.length" class="field" data-areas-field @change="takeField(($event.target as HTMLSelectElement).value)">
                    <option value="">choose</option>
                    <option v-for="one in arrived.fields" :key="one">{{ one }}</option>
                </select>
                <input v-else class="field" data-areas-field @change="takeField(($event.target as HTMLInputElement).value)" />
            </label>
        </details>

        <p v-if="training.problem.value" role="alert" class="text-sm text-madder" data-training-problem>{{ training.problem.value }}</p>
    </section>
</template>
