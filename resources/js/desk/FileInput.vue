<script setup lang="ts">
import { useDropZone } from '@vueuse/core';
import { onMounted, ref } from 'vue';
import { api, must, upload, type Inputs } from '../api/client';
import { useBench } from '../bench/useBench';
import { longDate, number } from '../plots/format';
import FileFacts from './FileFacts.vue';

/**
 * A file from this computer, or a bundle that ships with the product. A file that says it is something else opens what takes it in, unless one
 * kind is wanted.
 */
const props = defineProps<{ kind: string; input: Inputs[string] | undefined; wanted?: string }>();
const emit = defineEmits<{ choose: [input: Inputs[string], kind: string] }>();

const bench = useBench();
const bundles = ref<{ file: string; kind: string; date: string; bytes: number }[]>([]);
const share = ref<number | null>(null);
const problem = ref('');
const zone = ref<HTMLElement>();
const { isOverDropZone: over } = useDropZone(zone, { onDrop: (files) => void take(files ?? []) });
let stop = () => {};

onMounted(async () => {
    bundles.value = (await must(api.GET('/demo')).catch(() => [])).filter((bundle) => bundle.kind === props.kind);
});

async function take(files: File[]): Promise<void> {
    if (!files.length) return;
    problem.value = '';
    share.value = 0;
    const sending = upload(bench.id, files, (done) => (share.value = done));
    stop = sending.stop;
    try {
        const told = await sending.done;
        bench.desk.uploads[told.upload] = told;
        const kind = props.wanted ?? told.kind;
        if (kind) emit('choose', { upload: told.upload }, kind);
        else problem.value = `${told.name} holds ${told.what}: choose it in the step that uses it.`;
    } catch (error) {
        problem.value = (error as Error).message;
    } finally {
        share.value = null;
    }
}
</script>

<template>
    <div class="space-y-2">
        <div ref="zone" class="rounded border border-dashed px-3 py-3" :class="over ? 'border-verdigris bg-paper-2' : 'border-ink-2'">
            <template v-if="share !== null">
                <p class="flex items-baseline justify-between">
                    <span
                        >{{ share < 1 ? 'sending' : 'checking' }} <span class="figures">{{ Math.round(share * 100) }} %</span></span
                    ><button class="plain" @click="stop()">stop</button>
                </p>
                <div class="mt-1 h-1 rounded-full bg-line" role="progressbar" :aria-valuenow="Math.round(share * 100)" aria-label="Upload">
                    <div class="h-1 rounded-full bg-verdigris" :style="{ width: `${share * 100}%` }" />
                </div>
            </template>
            <template v-else>
                <label class="plain cursor-pointer focus-within:outline-2 focus-within:outline-verdigris"
                    >Choose a file<input type="file" multiple class="sr-only" data-file @change="take([...(($event.target as HTMLInputElement).files ?? [])])"
                /></label>
                <span class="text-ink-2"> or drop it here</span>
                <p v-if="input?.upload" class="mt-1 font-semibold" data-chosen>{{ input.upload.split('/').pop() }}</p>
                <FileFacts v-if="input?.upload && bench.desk.uploads[input.upload]" :upload="bench.desk.uploads[input.upload]!" />
            </template>
        </div>
        <p v-if="problem" role="alert" class="text-sm text-madder">{{ problem }}</p>
        <fieldset v-if="bundles.length">
            <legend class="text-sm text-ink-2">or a scene of the demo</legend>
            <label v-for="bundle in bundles" :key="bundle.file" class="flex items-baseline gap-2 py-0.5">
                <input
                    type="radio"
                    name="bundle"
                    :value="bundle.file"
                    :checked="input?.demo === bundle.file"
                    @change="emit('choose', { demo: bundle.file }, bundle.kind)"
                />
                <span>{{ longDate(bundle.date) }}</span><span class="figures ml-auto text-ink-2">{{ number(bundle.bytes / 1e6, 2) }} MB</span>
            </label>
        </fieldset>
    </div>
</template>
