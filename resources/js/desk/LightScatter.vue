<script setup lang="ts">
import { computed, ref } from 'vue';
import { api, must, type RasterItem, type Scatter } from '../api/client';
import { number, short } from '../plots/format';
import { useLatest } from './useLatest';

/** A band over the light on slopes, before and after: what still goes with light was not evened out. */
const props = defineProps<{ step: number; after: RasterItem }>();

const band = ref(1);
const { answer: data, problem } = useLatest<Scatter | null>(
    'light',
    () => `${props.step}/${props.after.id}/${band.value}`,
    () => must(api.GET('/steps/{step}/light', { params: { path: { step: props.step }, query: { band: band.value } } })),
    null,
);

const [WIDTH, HEIGHT] = [136, 112];
const x = (light: number) => 8 + light * (WIDTH - 14);
const range = computed(() => {
    const all = [...(data.value?.before.values ?? []), ...(data.value?.after.values ?? [])]
        .filter((value): value is number => value !== null)
        .sort((a, b) => a - b);
    return [all[Math.floor(all.length * 0.01)] ?? 0, all[Math.floor(all.length * 0.99)] ?? 1] as const;
});
function y(value: number): number {
    const [low, high] = range.value;
    return HEIGHT - 18 - Math.max(0, Math.min(1, (value - low) / Math.max(1e-12, high - low))) * (HEIGHT - 26);
}
/** One path for all dots: there are thousands. */
function dots(values: (number | null)[]): string {
    return data
        .value!.light.map((light, i) => (values[i] === null || values[i] === undefined ? '' : `M${x(light).toFixed(1)} ${y(values[i]!).toFixed(1)}h1`))
        .join('');
}
</script>

<template>
    <section class="space-y-1 border-t border-line pt-3 text-sm" data-light>
        <p class="flex items-baseline justify-between gap-2">
            <b>Values over illumination</b
            ><select v-model.number="band" class="field w-auto!" aria-label="Band of the scatter">
                <option v-for="one in after.raster.bands" :key="one.number" :value="one.number">{{ one.label }}</option>
            </select>
        </p>
        <p v-if="problem" class="text-madder">{{ problem }}</p>
        <div v-if="data" class="grid grid-cols-2 gap-1">
            <figure
                v-for="[name, part] in [
                    ['before', data.before],
                    ['after', data.after],
                ] as const"
                :key="name"
            >
                <svg
                    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
                    class="w-full"
                    role="img"
                    :aria-label="`${name}: slope ${short(part.slope ?? 0)}, correlation ${short(part.correlation ?? 0)}`"
                >
                    <path :d="`M8 6V${HEIGHT - 18}H${WIDTH - 4}`" fill="none" stroke="var(--ink-2)" />
                    <path :d="dots(part.values)" stroke="var(--ink-2)" stroke-width="1.2" opacity="0.5" />
                    <path
                        v-if="part.slope !== null && part.offset !== null"
                        :d="`M${x(0.15)} ${y(part.offset + 0.15 * part.slope)}L${x(1)} ${y(part.offset + part.slope)}`"
                        stroke="var(--verdigris)"
                        stroke-width="1.8"
                    />
                    <text x="8" :y="HEIGHT - 6" font-size="9" fill="var(--ink-2)">0</text>
                    <text :x="WIDTH / 2" :y="HEIGHT - 6" font-size="9" text-anchor="middle" fill="var(--ink-2)">cos i</text>
                    <text :x="WIDTH - 6" :y="HEIGHT - 6" font-size="9" text-anchor="end" fill="var(--ink-2)">1</text>
                </svg>
                <figcaption class="text-xs text-ink-2">
                    {{ name }}: slope <span class="figures text-ink" :data-slope="name">{{ number(part.slope, 3) }}</span>, correlation
                    <span class="figures text-ink">{{ number(part.correlation, 2) }}</span>
                </figcaption>
            </figure>
        </div>
    </section>
</template>
