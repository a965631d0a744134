import { computed } from 'vue';
import type { Bench } from '../bench/useBench';
import { findItem, itemLabel } from '../views/look';
import { listOf } from './listOf';
import type { Form } from './useForm';

/** The images of the input `images` in their order, each with its short name: what the setting `names` says, else a, b, c … */
export function useNamedImages(bench: Bench, form: Form) {
    const images = computed(() => {
        const { inputs } = form.draft.value;
        const names = listOf(form.valueOf('names'));
        const keys = Object.keys(inputs)
            .filter((name) => name.startsWith('images'))
            .sort((a, b) => Number(a.split(':')[1] ?? 0) - Number(b.split(':')[1] ?? 0));
        return keys.map((key, i) => {
            const input = inputs[key]!;
            const source = { step: input.step ?? 0, output: input.output ?? 'result' };
            return {
                name: names[i] ?? String.fromCharCode(97 + i),
                label: itemLabel(
                    bench.store.steps.value.find((one) => one.id === source.step),
                    source.output,
                ),
                item: bench.store.study.value ? findItem(bench.store.study.value, source, []) : null,
            };
        });
    });

    function rename(index: number, name: string): void {
        form.set(
            'names',
            images.value.map((one, i) => (i === index ? name.trim() : one.name)),
        );
    }

    return { images, rename };
}
