<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { useRouter } from 'vue-router';
import { api, isRaster, must, type StudyEntry } from '../api/client';
import { exercises } from '../exercises/exercises';
import PageHead from '../PageHead.vue';
import SmallPicture from '../views/SmallPicture.vue';

const router = useRouter();
const studies = shallowRef<StudyEntry[] | null>(null);
const name = ref('');
const problem = ref('');
const removing = ref<StudyEntry | null>(null);

async function guarded(action: () => Promise<unknown>): Promise<void> {
    problem.value = '';
    try {
        await action();
    } catch (error) {
        problem.value = (error as Error).message;
    }
}
const load = () => guarded(async () => (studies.value = await must(api.GET('/studies'))));
const create = () =>
    guarded(async () => {
        const study = await must(api.POST('/studies', { body: { name: name.value.trim() } }));
        await router.push(`/studies/${study.id}`);
    });
const demo = () =>
    guarded(async () => {
        const study = await must(api.POST('/demo'));
        await router.push(`/studies/${study.id}`);
    });
/** Each exercise, with the study that was begun for it last. */
const offered = computed(() => exercises.map((one) => ({ ...one, study: studies.value?.find((study) => study.exercise?.name === one.name) })));
const stands = (at: number, of: number) => (at < of ? `continue, ${at} of ${of} done` : 'done: open it');
const begin = (exercise: string) =>
    guarded(async () => {
        const study = await must(api.POST('/exercises/{exercise}', { params: { path: { exercise } } }));
        await router.push(`/studies/${study.id}`);
    });
const remove = () =>
    guarded(async () => {
        const study = removing.value!;
        removing.value = null;
        await must(api.DELETE('/studies/{study}', { params: { path: { study: study.id } } }));
        await load();
    });
const when = (time: string) => new Date(time).toLocaleString('en-GB', { day: 'numeric', month: 'long', hour: '2-digit', minute: '2-digit' });
onMounted(load);
</script>

<template>
    <div class="min-h-full">
        <PageHead />
        <main class="mx-auto max-w-4xl px-6 py-8">
            <h1 class="text-xl font-semibold">Studies</h1>
            <p class="mt-1 mb-6 text-ink-2">A study is one piece of work on one area: its images, its trail of steps, its pegs and its legend.</p>
            <form class="mb-8 flex max-w-lg items-end gap-3" @submit.prevent="create">
                <label class="flex-1 text-sm text-ink-2"
                    >new study<input
                        v-model="name"
                        class="field text-base text-ink"
                        required
                        maxlength="120"
                        placeholder="name the area or the question"
                        data-new-study
                /></label>
                <button class="action-first" data-create>Create</button>
            </form>
            <p v-if="problem" role="alert" class="mb-4 text-madder">{{ problem }}</p>
            <section class="mb-8 border-y border-line py-3" aria-labelledby="exercises">
                <h2 id="exercises" class="font-semibold">Three short exercises on demo data</h2>
                <ul class="mt-2 grid grid-cols-3 gap-6">
                    <li v-for="one in offered" :key="one.name" class="flex flex-col">
                        <span>{{ one.title }}</span>
                        <span class="flex-1 text-sm text-ink-2">{{ one.sentence }}</span>
                        <span class="mt-1 flex gap-3 text-sm">
                            <RouterLink v-if="one.study" class="plain" :to="`/studies/${one.study.id}`" :data-continue="one.name">{{
                                stands(one.study.exercise!.at, one.tasks.length)
                            }}</RouterLink>
                            <button class="plain" :data-begin="one.name" @click="begin(one.name)">{{ one.study ? 'start again' : 'start' }}</button>
                        </span>
                    </li>
                </ul>
            </section>
            <ul v-if="studies?.length" class="grid grid-cols-[repeat(auto-fill,minmax(15rem,1fr))] gap-x-6 gap-y-8">
                <li v-for="study in studies" :key="study.id" :data-study="study.name">
                    <RouterLink :to="`/studies/${study.id}`" class="group block">
                        <SmallPicture v-if="isRaster(study.picture)" :item="study.picture" :width="240" :height="150" natural class="w-full!" />
                        <span v-else class="flex h-[150px] items-center justify-center rounded-xs border border-line text-ink-2">no image yet</span>
                        <span class="mt-2 block font-semibold group-hover:text-verdigris">{{ study.name }}</span>
                    </RouterLink>
                    <p class="flex min-h-6 items-center text-sm text-ink-2">
                        <span>{{ study.steps }} step{{ study.steps === 1 ? '' : 's' }} · {{ when(study.changed) }}</span
                        ><button class="plain ml-auto min-h-6 text-ink-2!" @click="removing = study">remove</button>
                    </p>
                </li>
            </ul>
            <p v-else-if="studies" class="text-ink-2">No study yet. Enter a name above to start one.</p>
            <p v-if="studies && !studies.some((study) => study.name === 'Orvane Sound')" class="mt-8 text-ink-2">
                To try things out, there is an invented estuary with two scenes. <button class="plain" @click="demo">Open the demo “Orvane Sound”</button>
            </p>
        </main>
        <Dialog :open="removing !== null" class="relative z-50" @close="removing = null">
            <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
            <div class="fixed inset-0 flex items-center justify-center p-4">
                <DialogPanel class="sheet w-full max-w-md p-5">
                    <DialogTitle class="text-lg font-semibold">Remove “{{ removing?.name }}”?</DialogTitle>
                    <p class="mt-2 text-ink-2">
                        Its {{ removing?.steps }} steps, their results and its pegs are deleted permanently. Downloaded files are not affected.
                    </p>
                    <p class="mt-4 flex justify-end gap-2">
                        <button class="action" @click="removing = null">Keep it</button
                        ><button class="action border-madder! text-madder!" @click="remove">Remove</button>
                    </p>
                </DialogPanel>
            </div>
        </Dialog>
    </div>
</template>
