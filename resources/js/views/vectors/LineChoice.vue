<script setup lang="ts">
import { useBench } from '../../bench/useBench';
import { lineColours, newLine, type LineLook } from './styles';
import { isSame } from './useVectors';

/** Which points and lines lie over a picture, and how each is drawn. */
const lines = defineModel<LineLook[]>({ required: true });
const { vectors } = useBench();
type Of = Pick<LineLook, 'source' | 'drawing'>;
const lineOf = (of: Of) => lines.value.find((line) => isSame(line, of));

function toggle(of: Of): void {
    lines.value = lineOf(of) ? lines.value.filter((line) => !isSame(line, of)) : [...lines.value, newLine(of)];
}
function change(of: Of, to: Partial<LineLook>): void {
    lines.value = lines.value.map((line) => (isSame(line, of) ? { ...line, ...to } : line));
}
const names: Record<string, string> = {
    '#ffffff': 'white',
    '#111111': 'black',
    '#e69f00': 'orange',
    '#56b4e9': 'sky blue',
    '#009e73': 'green',
    '#f0e442': 'yellow',
    '#d55e00': 'vermilion',
    '#cc79a7': 'purple',
};
</script>

<template>
    <ul data-lines>
        <li v-for="one in vectors.candidates.value" :key="`${one.line.drawing} ${one.line.source?.step} ${one.line.source?.output}`" class="py-0.5">
            <label class="flex items-center gap-2"
                ><input type="checkbox" :checked="lineOf(one.line) !== undefined" :data-line="one.label" @change="toggle(one.line)" />{{ one.label }}</label
            >
            <div v-if="lineOf(one.line)" class="mt-1 mb-1.5 ml-5 space-y-1">
                <p class="flex items-center gap-1" role="group" :aria-label="`Colour of ${one.label}`">
                    <button
                        class="plain mr-1 text-sm whitespace-nowrap"
                        :class="lineOf(one.line)!.colour === 'class' ? 'font-semibold' : ''"
                        :aria-pressed="lineOf(one.line)!.colour === 'class'"
                        @click="change(one.line, { colour: 'class' })"
                    >
                        by class
                    </button>
                    <button
                        v-for="colour in lineColours"
                        :key="colour"
                        class="size-4 rounded-sm border border-ink-2"
                        :class="lineOf(one.line)!.colour === colour ? 'outline-2 outline-offset-1 outline-verdigris' : ''"
                        :style="{ background: colour }"
                        :aria-label="names[colour]"
                        :aria-pressed="lineOf(one.line)!.colour === colour"
                        :title="names[colour]"
                        @click="change(one.line, { colour })"
                    />
                </p>
                <label class="grid grid-cols-[3rem_1fr] items-center gap-2 text-sm"
                    ><span class="text-ink-2">width</span
                    ><input
                        type="range"
                        min="0.5"
                        max="5"
                        step="0.5"
                        :value="lineOf(one.line)!.width"
                        @input="change(one.line, { width: Number(($event.target as HTMLInputElement).value) })"
                /></label>
                <label class="grid grid-cols-[3rem_1fr] items-center gap-2 text-sm"
                    ><span class="text-ink-2">filled</span
                    ><input
                        type="range"
                        min="0"
                        max="1"
                        step="0.05"
                        :value="lineOf(one.line)!.fill"
                        @input="change(one.line, { fill: Number(($event.target as HTMLInputElement).value) })"
                /></label>
                <p v-if="vectors.partly(lineOf(one.line)!)" class="text-xs text-ink-2">
                    {{ vectors.partly(lineOf(one.line)!) }} are drawn here: the largest. Zoom in to see all.
                </p>
            </div>
        </li>
    </ul>
</template>
