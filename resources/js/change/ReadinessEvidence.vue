<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query';
import { computed } from 'vue';
import { api, must } from '../api/client';
import { useBench } from '../bench/useBench';
import type { Form } from '../desk/useForm';

/** Before two dates are compared: what stands against it. */
const props = defineProps<{ form: Form }>();
const bench = useBench();
const kind = computed(() => bench.desk.kind.value!);
const question = computed(() => ({
    kind: kind.value.id,
    inputs: props.form.draft.value.inputs,
    settings: props.form.draft.value.settings.bands ? { bands: props.form.draft.value.settings.bands } : {},
}));
const names = computed(() => Object.keys(question.value.inputs));
const isReady = computed(() => kind.value.inputs.filter((port) => port.required).every((port) => names.value.some((name) => name.split(':')[0] === port.name)));
/** What the inputs hold now: a step that ran anew is asked about anew. */
const items = computed(() => bench.store.steps.value.map((step) => step.items[0]?.id ?? 0).join());
const { data } = useQuery({
    queryKey: computed(() => ['against', bench.id, question.value, items.value]),
    queryFn: () => must(api.POST('/studies/{study}/against', { params: { path: { study: bench.id } }, body: question.value })),
    enabled: isReady,
    retry: false,
});
const told = computed(() => (isReady.value ? (data.value ?? []) : []));
/** Dates the wrong way round are turned by one click. */
function turn(): void {
    props.form.edit((draft) => {
        const many = names.value.filter((name) => name.includes(':')).sort((a, b) => Number(a.split(':')[1]) - Number(b.split(':')[1]));
        const order = many.length ? many : ['before', 'after'];
        const turned = order.map((name) => draft.inputs[name]!).reverse();
        order.forEach((name, i) => (draft.inputs[name] = turned[i]!));
    });
}
</script>

<template>
    <ul v-if="told.length" class="space-y-1 border-l-2 border-ochre pl-2 text-sm" aria-label="Comparability of the dates" data-against>
        <li v-for="one in told" :key="one.about" :data-about="one.about">
            {{ one.text }}
            <button v-if="one.about === 'order'" class="plain" data-turn @click="turn">Swap the dates</button>
        </li>
    </ul>
</template>
