<script setup lang="ts">
import { Switch } from '@headlessui/vue';
import { computed } from 'vue';
import type { RasterItem, Setting } from '../api/client';
import { typedNumber } from '../plots/format';
import HelpText from '../glossary/HelpText.vue';
import { listOf } from './listOf';

const props = defineProps<{ setting: Setting; value: unknown; item: RasterItem | null; problem: string | null }>();
const emit = defineEmits<{ set: [value: unknown] }>();

const id = computed(() => `setting-${props.setting.name}`);
const name = computed(() => props.setting.name.replaceAll('-', ' '));
/** As the core words it (Desk::chosen). */
const choiceName = (choice: string) => choice.replace('toa-', 'TOA ').replaceAll('-', ' ').replace('k means', 'k-means');
const list = computed(() => (Array.isArray(props.value) ? listOf(props.value) : []));
const meaning = computed(() => props.setting.meanings?.[String(props.value)]);
const text = computed(() => (Array.isArray(props.value) ? list.value.join(', ') : String(props.value ?? '')));
const bands = computed(() => props.item?.raster.bands ?? []);
/** A band given by its role is shown as the band that has it. */
const band = computed(() => String(bands.value.find((one) => one.role === props.value)?.number ?? props.value ?? ''));

function asNumber(given: string): unknown {
    const number = typedNumber(given, props.setting.unit);
    return given.trim() === '' ? null : Number.isNaN(number) ? given : number;
}
/** What happens to a number that is not given, where its help says so. */
const placeholder = computed(() => (/from the metadata/.test(props.setting.help) ? 'from the metadata' : 'not set'));
/** A share where per cent are asked for is most likely meant another way; the core says the same on the command line (Setting::caution). */
const caution = computed(() => {
    const value = props.value;
    if (props.setting.unit !== '%' || typeof value !== 'number' || value === props.setting.default) return null;
    return Math.abs(value) > 0 && Math.abs(value) < 1 ? `That is ${value} %. For a share of ${value} type ${Number((100 * value).toPrecision(12))}.` : null;
});
const read = (event: Event) => (event.target as HTMLInputElement).value;

function tick(choice: string, on: boolean): void {
    emit(
        'set',
        (props.setting.choices ?? []).filter((one) => (one === choice ? on : list.value.includes(one))),
    );
}
</script>

<template>
    <div :class="problem ? 'border-l-2 border-madder pl-2' : ''" :data-setting="setting.name">
        <fieldset v-if="setting.type === 'choices'">
            <legend class="mb-1 text-ink-2">{{ name }}</legend>
            <div class="flex flex-wrap gap-x-4 gap-y-1">
                <label v-for="choice in setting.choices" :key="choice" class="flex items-center gap-1.5"
                    ><input type="checkbox" :checked="list.includes(choice)" @change="tick(choice, ($event.target as HTMLInputElement).checked)" />{{
                        choice
                    }}</label
                >
            </div>
        </fieldset>
        <label v-else-if="setting.lines" class="block text-ink-2"
            >{{ setting.name.replaceAll('-', ' ') }}
            <textarea
                class="field mt-0.5 block text-ink"
                rows="5"
                spellcheck="false"
                :value="text"
                :data-lines="setting.name"
                @change="emit('set', ($event.target as HTMLTextAreaElement).value)"
            />
        </label>
        <div v-else class="grid grid-cols-[6.2rem_1fr] items-center gap-x-2">
            <label :for="id" class="text-ink-2">{{ name }}</label>
            <select v-if="setting.type === 'choice'" :id="id" class="field" :value="value" @change="emit('set', read($event))">
                <option v-for="choice in setting.choices" :key="choice" :value="choice">{{ choiceName(choice) }}</option>
            </select>
            <select v-else-if="setting.type === 'band' && bands.length" :id="id" class="field" :value="band" @change="emit('set', read($event))">
                <option v-if="!bands.some((one) => String(one.number) === band)" :value="band">{{ value ? `without ${value}` : 'of the same role' }}</option>
                <option v-for="one in bands" :key="one.number" :value="String(one.number)">{{ one.number }} {{ one.label }}</option>
            </select>
            <Switch
                v-else-if="setting.type === 'switch'"
                :id="id"
                :model-value="Boolean(value)"
                class="h-5 w-9 rounded-full border border-ink-2 p-0.5"
                :class="value ? 'bg-verdigris' : 'bg-transparent'"
                @update:model-value="emit('set', $event)"
                ><span class="block size-3.5 rounded-full transition" :class="value ? 'translate-x-4 bg-on-verdigris' : 'bg-ink-2'"
            /></Switch>
            <span v-else class="flex items-baseline gap-1.5">
                <input
                    v-if="setting.type === 'number' || setting.type === 'whole'"
                    :id="id"
                    class="field figures"
                    inputmode="decimal"
                    :value="text"
                    :placeholder="setting.default === null || setting.default === undefined ? placeholder : ''"
                    @change="emit('set', asNumber(read($event)))"
                />
                <input
                    v-else-if="setting.type === 'numbers'"
                    :id="id"
                    class="field figures"
                    :value="text"
                    @change="
                        emit(
                            'set',
                            listOf(read($event)).map((part) => asNumber(part)),
                        )
                    "
                />
                <textarea
                    v-else-if="setting.type === 'texts'"
                    :id="id"
                    class="field field-sizing-content resize-none wrap-anywhere"
                    rows="1"
                    :value="text"
                    @change="emit('set', listOf(read($event)))"
                />
                <input v-else :id="id" class="field" :value="text" @change="emit('set', read($event))" />
                <span v-if="setting.unit" class="shrink-0 text-sm text-ink-2">{{ setting.unit }}</span>
            </span>
        </div>
        <p class="mt-0.5 text-xs text-ink-2"><HelpText :text="meaning ?? setting.help" /></p>
        <p v-if="caution && !problem" class="mt-0.5 text-sm text-ochre" data-caution>{{ caution }}</p>
        <p v-if="problem" role="alert" class="mt-0.5 text-sm text-madder">{{ problem }}</p>
    </div>
</template>
