<script setup lang="ts">
import { CheckIcon } from '@heroicons/vue/20/solid';
import { onKeyStroke, useIntervalFn } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { useBench } from '../bench/useBench';
import { isTyping } from '../bench/keys';

/** The exercise beside the bench: one task after the other, each with a mark on the control that it speaks of. */
const bench = useBench();
const { exercise: store } = bench;
const exercise = computed(() => store.exercise.value!);
const at = computed(() => store.progress.value!.at);
const text = computed(() => {
    const { value: left } = store.preparing;
    if (left) return `The demo data are being prepared: ${left} ${left === 1 ? 'step is' : 'steps are'} still running on the trail.`;
    return store.task.value?.text ?? exercise.value.end;
});
const box = ref<{ left: string; top: string; width: string; height: string } | null>(null);

function control(): HTMLElement | null {
    for (const mark of store.task.value?.marks ?? [])
        for (const one of document.querySelectorAll<HTMLElement>(mark)) if (one.getClientRects().length) return one;
    return null;
}
/** The bench moves beneath the mark: panels scroll, steps arrive. */
function follow(): void {
    const rect = control()?.getBoundingClientRect();
    const pixels = (value: number) => `${Math.round(value)}px`;
    const next = rect ? { left: pixels(rect.left - 4), top: pixels(rect.top - 4), width: pixels(rect.width + 8), height: pixels(rect.height + 8) } : null;
    if (JSON.stringify(next) !== JSON.stringify(box.value)) box.value = next;
}
useIntervalFn(follow, 200, { immediateCallback: true });
watch(store.task, follow, { flush: 'post' });

function go(): void {
    const one = control();
    one?.scrollIntoView({ block: 'nearest' });
    one?.focus();
}
onKeyStroke('j', (event) => {
    if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    go();
});
</script>

<template>
    <section class="flex items-center gap-4 border-b border-line bg-paper-2 px-4 py-1.5" :aria-label="`Exercise: ${exercise.title}`" data-exercise>
        <p class="shrink-0 font-semibold">{{ exercise.title }}</p>
        <ol class="flex shrink-0 gap-1" aria-hidden="true">
            <li
                v-for="(_, i) in exercise.tasks"
                :key="i"
                class="flex size-5 items-center justify-center rounded-full border text-xs"
                :class="
                    i < at ? 'border-verdigris bg-verdigris text-paper' : i === at ? 'border-verdigris font-semibold text-verdigris' : 'border-line text-ink-2'
                "
            >
                <CheckIcon v-if="i < at" class="size-3.5" /><template v-else>{{ i + 1 }}</template>
            </li>
        </ol>
        <p class="min-w-0 flex-1" role="status" data-task>
            <span class="sr-only">{{ store.task.value ? `Task ${at + 1} of ${exercise.tasks.length}: ` : '' }}</span>{{ text }}
            <span v-if="store.task.value?.keys" class="whitespace-nowrap text-ink-2">({{ store.task.value.keys }})</span>
        </p>
        <p class="flex shrink-0 gap-3 text-sm">
            <button v-if="store.task.value && box" class="plain" title="Move the focus to the marked control (J)" data-task-go @click="go">go there</button>
            <button v-if="at > 0" class="plain" data-task-back @click="store.back">back</button>
            <button v-if="store.task.value" class="plain" data-task-skip @click="store.skip">skip</button>
            <button class="plain" data-exercise-leave @click="store.leave">{{ at < exercise.tasks.length ? 'leave' : 'close' }}</button>
        </p>
        <Teleport to="body">
            <div v-if="box && store.task.value" class="exercise-mark" :style="box" aria-hidden="true" data-exercise-mark />
        </Teleport>
    </section>
</template>
