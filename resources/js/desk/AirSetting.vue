<script setup lang="ts">
import { computed } from 'vue';
import type { Setting } from '../api/client';

/** A setting of the air, to type or to draw along while the spectra move. */
const props = defineProps<{ setting: Setting; value: unknown; inForce: number | null; problem: string | null }>();
const emit = defineEmits<{ set: [value: unknown] }>();

/** What is met with; wider values can be typed. */
const REACH: Record<string, [number, number, number]> = {
    visibility: [5, 100, 1],
    aot550: [0, 0.8, 0.005],
    'water-vapour': [0, 6, 0.05],
    ozone: [200, 500, 5],
    elevation: [0, 4000, 25],
};
const id = computed(() => `setting-${props.setting.name}`);
const reach = computed(() => REACH[props.setting.name]);
const now = computed(() => (typeof props.value === 'number' ? props.value : (props.inForce ?? reach.value?.[0] ?? 0)));
const read = (event: Event) => (event.target as HTMLInputElement).value;
function typed(event: Event): void {
    const text = read(event).trim();
    emit('set', text === '' ? null : Number.isNaN(Number(text)) ? text : Number(text));
}
</script>

<template>
    <div :class="problem ? 'border-l-2 border-madder pl-2' : ''" :data-setting="setting.name" :title="setting.help">
        <div class="grid grid-cols-[5.6rem_1fr] items-center gap-x-2">
            <label :for="id" class="text-ink-2">{{ setting.name === 'aot550' ? 'optical depth' : setting.name.replaceAll('-', ' ') }}</label>
            <select v-if="setting.choices" :id="id" class="field py-0!" :value="value ?? ''" @change="emit('set', read($event) || null)">
                <option value="">default (continental)</option>
                <option v-for="choice in setting.choices" :key="choice">{{ choice }}</option>
            </select>
            <span v-else class="flex items-center gap-1.5">
                <input
                    type="range"
                    class="w-0 min-w-0 flex-1 accent-verdigris"
                    :min="reach![0]"
                    :max="reach![1]"
                    :step="reach![2]"
                    :value="now"
                    :aria-label="`${setting.name}, slider`"
                    @input="emit('set', Number(read($event)))"
                />
                <input
                    :id="id"
                    class="field figures w-15! shrink-0 py-0! text-right"
                    inputmode="decimal"
                    data-air
                    :value="typeof value === 'number' ? String(Number(value.toPrecision(6))) : (value ?? '')"
                    :placeholder="inForce === null ? '' : String(Number(inForce.toPrecision(3)))"
                    @change="typed"
                />
                <span class="w-9 shrink-0 text-xs whitespace-nowrap text-ink-2">{{ setting.unit ?? '' }}</span>
            </span>
        </div>
        <p v-if="problem" role="alert" class="mt-0.5 text-sm text-madder">{{ problem }}</p>
    </div>
</template>
