<script setup lang="ts">
import { computed } from 'vue';
import type { Inputs, Port } from '../api/client';
import { useBench } from '../bench/useBench';
import FileInput from './FileInput.vue';

const props = defineProps<{ port: Port; kind: string; input: Inputs[string] | undefined; problem: string | null }>();
const emit = defineEmits<{ choose: [input: Inputs[string] | null, kind: string] }>();

const bench = useBench();
const isOnly = computed(() => bench.desk.kind.value?.inputs.filter((one) => one.required).length === 1);
const candidates = computed(() => bench.desk.candidatesFor(props.port.type).filter(({ source }) => source.step !== bench.desk.step.value?.id));
const drawable = computed(() => ['features', 'points', 'outlines'].includes(props.port.type));
const lowerFirst = (text: string) => text.charAt(0).toLowerCase() + text.slice(1);
const drawings = computed(() => (drawable.value ? bench.drawing.drawings.value.filter((one) => one.step === null && one.count) : []));
const chosen = computed(() =>
    props.input?.drawing ? `drawn/${props.input.drawing}` : props.input?.step ? `${props.input.step}/${props.input.output ?? 'result'}` : '',
);

function choose(event: Event): void {
    const { value } = event.target as HTMLSelectElement;
    const [step, output] = value.split('/');
    emit('choose', !value ? null : step === 'drawn' ? { drawing: Number(output) } : { step: Number(step), output }, props.kind);
}
</script>

<template>
    <div :class="problem ? 'border-l-2 border-madder pl-2' : ''" :data-input="port.name">
        <FileInput v-if="port.type === 'file'" :kind="kind" :input="input" @choose="(given, of) => emit('choose', given, of)" />
        <template v-else>
            <div class="grid grid-cols-[6.2rem_1fr] items-center gap-x-2">
                <label :for="`input-${port.name}`" class="text-ink-2">{{ port.name === 'image' && isOnly ? 'of' : port.name }}</label>
                <select :id="`input-${port.name}`" class="field" :value="chosen" @change="choose">
                    <option v-if="!port.required || !chosen" value="">{{ port.required ? 'choose' : 'none' }}</option>
                    <option v-for="one in drawings" :key="one.id" :value="`drawn/${one.id}`">{{ bench.drawing.called(one) }}</option>
                    <option v-for="one in candidates" :key="one.label" :value="`${one.source.step}/${one.source.output}`">{{ one.label }}</option>
                </select>
            </div>
            <FileInput
                v-if="drawable && port.required && !chosen"
                class="mt-1"
                :kind="kind"
                :wanted="kind"
                :input="input"
                @choose="(given, of) => emit('choose', given, of)"
            />
            <p v-if="!candidates.length && !drawings.length && port.required" class="mt-0.5 text-xs text-ochre">
                {{ drawable ? `Draw or choose ${port.called ?? 'polygons'}` : 'Nothing in this study fits yet' }}: {{ lowerFirst(port.help) }}
            </p>
        </template>
        <p v-if="problem" role="alert" class="mt-0.5 text-sm text-madder">{{ problem }}</p>
    </div>
</template>
