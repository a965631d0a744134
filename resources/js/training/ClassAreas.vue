<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { Mark } from '../api/client';
import { useBench } from '../bench/useBench';
import { corners, type Plain } from '../draw/corners';

/** The areas of a class, one by one. */
const props = defineProps<{ name: string }>();
const { drawing, training, views } = useBench();
const SHOWN = 60;
const marks = computed(() => training.marksOf(props.name));
const called = ref(props.name);
watch(
    () => props.name,
    (name) => (called.value = name),
);
function goTo(mark: Mark): void {
    const places = corners(mark.geometry as Plain).map((corner) => corner.place);
    const [xs, ys] = [places.map((place) => place[0]), places.map((place) => place[1])];
    if (places.length) views.shared.view.setCenter([(Math.min(...xs) + Math.max(...xs)) / 2, (Math.min(...ys) + Math.max(...ys)) / 2]);
}
</script>

<template>
    <details class="text-sm">
        <summary class="text-ink-2">{{ marks.length }} {{ marks.length === 1 ? 'area' : 'areas' }} of {{ name }}</summary>
        <ol v-if="marks.length" class="mt-1 max-h-32 overflow-auto">
            <li v-for="mark in marks.slice(0, SHOWN)" :key="mark.key" class="flex items-center gap-2" :data-area="mark.number">
                <button class="plain" title="go there" @click="goTo(mark)">
                    <span class="figures">{{ mark.number }}</span>
                </button>
                <select
                    class="field min-w-0 flex-1"
                    :aria-label="`Class of area ${mark.number}`"
                    :value="name"
                    @change="drawing.reclass([mark], ($event.target as HTMLSelectElement).value, `area ${mark.number} given to another class`)"
                >
                    <option v-for="one in training.classes.value" :key="one">{{ one }}</option>
                </select>
                <button
                    class="px-1.5 hover:text-madder"
                    :aria-label="`Remove area ${mark.number}`"
                    :data-remove-area="mark.number"
                    @click="drawing.removeMark(training.areas.value!.id, mark)"
                >
                    ×
                </button>
            </li>
        </ol>
        <p v-if="marks.length > SHOWN" class="text-ink-2">and {{ marks.length - SHOWN }} more in the views.</p>
        <p class="mt-1 flex items-baseline gap-3">
            <label class="flex min-w-0 flex-1 items-baseline gap-2 text-ink-2"
                >name<input v-model="called" class="field text-ink" maxlength="120" data-rename-class @change="training.rename(name, called)"
            /></label>
            <button class="plain" data-remove-class @click="training.removeClass(name)">{{ marks.length ? 'remove all' : 'remove the class' }}</button>
        </p>
    </details>
</template>
