import { refDebounced } from '@vueuse/core';
import { computed, ref, shallowRef, watch, type Ref } from 'vue';
import { api, must, Problem, type Peg, type RasterItem, type Settings, type SignatureLibrary, type Spectra } from '../api/client';
import type { Bench } from '../bench/useBench';
import type { Form } from './useForm';

export type Fit = Spectra['pegs'][number]['fits'][number];

/** Which of the air's settings there are: those a service can tell come first. */
export const AIR = ['aerosol', 'aot550', 'water-vapour', 'ozone', 'elevation'];

/** Spectra at the pegs under the air as it is set, beside the signatures. */
export function useSpectra(bench: Bench, form: Form, item: Ref<RasterItem | null>) {
    const libraries = shallowRef<SignatureLibrary[]>([]);
    const spectra = shallowRef<Spectra | null>(null);
    const problem = ref('');
    const asked = ref('');
    /** What the service told last. */
    const told = ref<Settings>({});

    async function load(): Promise<void> {
        libraries.value = await must(api.GET('/signatures'));
    }
    void load();

    /** Starts from what the service tells; what was set by hand stays unless asked for. */
    async function ask(over: boolean): Promise<void> {
        const mine = item.value;
        if (!mine) return;
        asked.value = '';
        try {
            const air = await must(api.GET('/items/{item}/air', { params: { path: { item: mine.id } } }));
            if (item.value?.id !== mine.id) return;
            told.value = Object.fromEntries(
                Object.entries(air)
                    .filter(([, value]) => value !== null)
                    .map(([name, value]) => [name, typeof value === 'number' ? Number(value.toPrecision(6)) : value]),
            );
            form.edit((copy) => {
                for (const name of AIR) {
                    const isSet = copy.settings[name] !== undefined || (name === 'aot550' && copy.settings.visibility !== undefined);
                    if (told.value[name] !== undefined && (over || !isSet)) copy.settings[name] = told.value[name];
                }
                if (over) delete copy.settings.visibility;
            });
            asked.value = 'from the atmosphere service, for this place and date';
        } catch (error) {
            asked.value = `${(error as Error).message} Defaults are used until it is set.`;
        }
    }

    const settings = computed(() => JSON.stringify(form.draft.value.settings));
    const places = computed(() => (bench.store.study.value?.pegs ?? []).map((peg) => `${peg.id} ${peg.x} ${peg.y}`).join());
    const key = refDebounced(
        computed(() => `${item.value?.id ?? ''}/${settings.value}/${places.value}/${libraries.value.length}`),
        60,
    );
    let round = 0;
    watch(
        key,
        async () => {
            const mine = ++round;
            if (!item.value) return (spectra.value = null);
            try {
                const found = await must(
                    api.POST('/items/{item}/spectra', {
                        params: { path: { item: item.value.id } },
                        body: { kind: bench.desk.kind.value!.id, settings: form.draft.value.settings },
                    }),
                );
                if (mine !== round) return;
                spectra.value = found;
                problem.value = '';
            } catch (error) {
                if (mine !== round) return;
                problem.value = (error as Problem).message;
                // the sentence stands by the setting that causes it
                if ((error as Problem).about) form.problem.value = { text: problem.value, about: (error as Problem).about ?? null };
            }
        },
        { immediate: true },
    );

    /** What a peg is compared with: what it was said to be, else the nearest in shape. */
    function fitOf(peg: Peg): Fit | null {
        const fits = spectra.value?.pegs.find((one) => one.id === peg.id)?.fits ?? [];
        return fits.find((fit) => fit.signature === peg.signature) ?? fits[0] ?? null;
    }

    async function add(file: File): Promise<void> {
        const body = new FormData();
        body.append('file', file);
        await bench.store.act(async () => {
            libraries.value = await must(api.POST('/signatures', { body: body as never, bodySerializer: (given: unknown) => given as FormData }));
        });
    }

    async function remove(library: string): Promise<void> {
        await bench.store.act(() => must(api.DELETE('/signatures/{library}', { params: { path: { library } } })));
        await load();
    }

    return { libraries, spectra, problem, asked, told, ask, fitOf, add, remove };
}
