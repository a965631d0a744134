<script setup lang="ts">
import { watchDebounced } from '@vueuse/core';
import { computed, onMounted, ref, watch } from 'vue';
import { api, must, type Inputs } from '../api/client';
import { useBench } from '../bench/useBench';
import FileInput from '../desk/FileInput.vue';
import { listOf } from '../desk/listOf';
import type { Form } from '../desk/useForm';
import AskForm from './AskForm.vue';
import CoupletForm from './CoupletForm.vue';
import { recolour, rename, setRest, shiftClass, withoutUnused } from './edit';

/** The desk of a key: which one, the question that was chosen in the river, and what becomes of the rest. */
const props = defineProps<{ form: Form; about: (name: string) => string | null }>();
const bench = useBench();
const { key } = bench;
const name = computed(() => key.port.value?.name ?? 'key');
const keys = computed(() => bench.store.study.value?.keys ?? []);
/** Keys that steps have made. */
const made = computed(() =>
    bench.desk.candidatesFor('key').filter(({ source }) => source.step !== bench.desk.step.value?.id || bench.desk.step.value !== null),
);
const isFile = ref(false);

function use(id: number): void {
    props.form.edit((draft) => (draft.inputs[name.value] = { key: id }));
}
async function begin(): Promise<void> {
    const id = await key.create('Key');
    if (id !== null) use(id);
}
async function choose(value: string): Promise<void> {
    isFile.value = value === 'file';
    if (value === 'new') return begin();
    const [what, step, output] = value.split('/');
    if (what === 'key') use(Number(step));
    else if (what === 'step') {
        const id = await key.create('', { step: Number(step), output });
        if (id !== null) use(id);
    }
}
async function load(input: Inputs[string]): Promise<void> {
    const id = await key.create('', { upload: input.upload });
    isFile.value = false;
    if (id !== null) use(id);
}
async function remove(): Promise<void> {
    const id = key.keyId.value;
    if (id === null) return;
    const gone = await bench.store.act(async () => (await must(api.DELETE('/keys/{key}', { params: { path: { key: id } } })), true));
    if (gone) props.form.edit((draft) => delete draft.inputs[name.value]);
}

/** What is sorted: the segments that were made last, by the images that they were cut from. */
function start(): void {
    const { inputs } = props.form.draft.value;
    if (bench.desk.step.value || Object.keys(inputs).length) return;
    const isCut = (id: number) => bench.store.steps.value.find((one) => one.id === id)?.kind.startsWith('segment.');
    // those that were cut, rather than what a key has made of others
    const all = bench.desk.candidatesFor('segments');
    const segments = all.filter(({ source }) => isCut(source.step)).pop() ?? all.pop();
    if (!segments) return;
    const stepOf = (id: number | undefined) => bench.store.steps.value.find((one) => one.id === id);
    const imagesOf = (step: ReturnType<typeof stepOf>) => Object.entries((step?.inputs ?? {}) as Inputs).filter(([port]) => port.startsWith('images:'));
    let from = stepOf(segments.source.step);
    while (from && !imagesOf(from).length && (from.inputs as Inputs).segments?.step) from = stepOf((from.inputs as Inputs).segments!.step);
    const names = listOf(from?.settings.names);
    const tree = stepOf(segments.source.step)?.items.find((one) => one.type === 'tree');
    props.form.edit((draft) => {
        draft.inputs = { ...draft.inputs, ...Object.fromEntries(imagesOf(from)), segments: segments.source };
        if (tree) draft.inputs.tree = { step: segments.source.step, output: tree.output };
        if (names.length) draft.settings.names = names;
    });
}
onMounted(start);

/** The segments lie over an image in view B, unless one of the views shows them already. */
watch(
    [key.item, key.document],
    () => {
        const { item, source } = key;
        if (!item.value || !key.document.value || (['a', 'b'] as const).some((side) => bench.segments.laidIn(side)?.id === item.value!.id)) return;
        bench.views.looks.b.value = { ...bench.views.looks.b.value, over: source.value, opacity: 0.8 };
    },
    { immediate: true },
);
// pixels are seen by trying: what rests is tried anew
watchDebounced(
    key.fresh,
    async (now) => {
        if (!now || key.source.value || bench.desk.step.value || props.form.trying.value) return;
        await key.settle();
        if (key.document.value?.couplets.length) await props.form.attempt();
    },
    { debounce: 700 },
);
const loose = computed(() => {
    const now = key.problem.value;
    return now && !now.about?.startsWith('key/couplets/') && !now.about?.startsWith('key/rules/') ? now.text : null;
});
const isEmpty = computed(() => key.document.value !== null && !key.document.value.couplets.length);
watch(
    [isEmpty, key.document],
    () => {
        if (isEmpty.value && !key.asking.value) key.asking.value = { at: null };
    },
    { immediate: true },
);
watch(key.keyId, () => ((key.asking.value = null), (key.selected.value = null)));
</script>

<template>
    <section class="space-y-2.5 border-b border-line pb-3" data-key-desk>
        <div class="grid grid-cols-[4.5rem_1fr] items-center gap-x-2">
            <label for="key-choice" class="text-ink-2">key</label>
            <select
                id="key-choice"
                class="field"
                :value="key.keyId.value === null ? '' : `key/${key.keyId.value}`"
                data-key-choice
                @change="choose(($event.target as HTMLSelectElement).value)"
            >
                <option v-if="key.keyId.value === null" value="">choose</option>
                <option v-for="one in keys" :key="one.id" :value="`key/${one.id}`">{{ one.name }}</option>
                <option value="new">a new key</option>
                <option v-for="one in made" :key="one.label" :value="`step/${one.source.step}/${one.source.output}`">of step {{ one.label }}</option>
                <option value="file">from a file …</option>
            </select>
        </div>
        <FileInput v-if="isFile" :kind="form.draft.value.inputs ? 'key' : ''" :input="undefined" wanted="key" @choose="load" />
        <p v-if="about(name)" role="alert" class="text-sm text-madder">{{ about(name) }}</p>
        <p v-if="loose" role="alert" class="text-sm text-madder" data-key-problem>{{ loose }}</p>
        <template v-if="key.document.value">
            <AskForm v-if="key.asking.value" :key="JSON.stringify(key.asking.value.at)" />
            <CoupletForm v-else-if="key.couplet.value" :key="key.couplet.value.id" :couplet="key.couplet.value" />
            <p v-if="!key.asking.value" class="flex flex-wrap items-center gap-x-3 text-sm">
                <button class="plain min-h-6" data-ask-first @click="key.asking.value = { at: null }">add a first question</button>
                <label class="flex items-center gap-1"
                    >everything else
                    <select
                        class="field w-auto!"
                        :value="key.document.value.rest ?? ''"
                        data-rest
                        @change="key.change('what everything else', setRest(key.document.value!, ($event.target as HTMLSelectElement).value || null))"
                    >
                        <option value="">unlabelled</option>
                        <option v-for="one in key.document.value.classes" :key="one.value">{{ one.name }}</option>
                    </select></label
                >
            </p>
            <details class="text-sm">
                <summary class="text-ink-2">key file</summary>
                <p class="mt-1 flex items-center gap-2">
                    <input
                        class="field"
                        aria-label="Name of the key"
                        :value="key.document.value.name ?? ''"
                        data-key-name
                        @change="key.change('the name of the key', { ...key.document.value!, name: ($event.target as HTMLInputElement).value.trim() || 'Key' })"
                    /><button class="plain" @click="remove">remove it</button>
                </p>
                <ul class="mt-1 space-y-1" aria-label="Classes of the key">
                    <li v-for="(one, i) in key.document.value.classes" :key="one.value" class="flex items-center gap-1.5" :data-class="one.name">
                        <input
                            type="color"
                            class="size-5 shrink-0 cursor-pointer border-0 bg-transparent p-0"
                            :value="one.colour"
                            :aria-label="`Colour of ${one.name}`"
                            @change="key.change('the colour of a class', recolour(key.document.value!, one.name, ($event.target as HTMLInputElement).value))"
                        /><input
                            class="field"
                            :value="one.name"
                            :aria-label="`Name of ${one.name}`"
                            @change="key.change('the name of a class', rename(key.document.value!, one.name, ($event.target as HTMLInputElement).value.trim()))"
                        /><span class="figures text-ink-2" title="Code in the map">{{ one.value }}</span
                        ><button v-if="i" class="plain" @click="key.change('the order of classes', shiftClass(key.document.value!, i))">up</button>
                    </li>
                </ul>
                <button class="plain mt-1" @click="key.change('leaving classes out', withoutUnused(key.document.value!))">remove unreachable questions</button>
            </details>
        </template>
        <p v-else-if="key.keyId.value === null" class="text-sm text-ink-2">
            <button class="plain" data-new-key @click="begin">Start a key</button>: questions are asked in order, each of what the previous ones left.
        </p>
    </section>
</template>
