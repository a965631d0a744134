<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { computed, ref, watch } from 'vue';
import { api, must, type Peg, type RasterItem } from '../api/client';
import { useBench } from '../bench/useBench';
import { number, pegColour, short } from '../plots/format';
import AirSetting from './AirSetting.vue';
import { AIR, useSpectra } from './useSpectra';
import type { Form } from './useForm';

/** The air over a scene: spectra at the pegs beside signatures, moving as it is set. */
const props = defineProps<{ form: Form; item: RasterItem | null; about: (name: string) => string | null }>();
const bench = useBench();
const item = computed(() => props.item);
const { libraries, spectra, problem, asked, told, ask, fitOf, add, remove } = useSpectra(bench, props.form, item);

const settings = computed(() =>
    ['aerosol', 'visibility', 'aot550', 'water-vapour', 'ozone', 'elevation'].map((name) => bench.desk.kind.value!.settings.find((one) => one.name === name)!),
);
const air = computed(() => new Map((spectra.value?.air ?? []).map((one) => [one.what, one])));
/** What takes effect where nothing is set. */
const inForce = (name: string) => (typeof air.value.get(name)?.value === 'number' ? (air.value.get(name)!.value as number) : null);

// a new setting-up starts from the service, and another scene has another air, unless it was set by hand
watch(
    () => props.item?.id,
    (id) => {
        const now = props.form.draft.value.settings;
        if (id && !bench.desk.step.value && now.visibility === undefined && AIR.every((name) => now[name] === undefined || now[name] === told.value[name]))
            void ask(true);
    },
    { immediate: true },
);

/** Visibility and optical depth say the same thing: one of them is set. */
function set(name: string, value: unknown): void {
    props.form.edit((copy) => {
        if (value === null || value === '') delete copy.settings[name];
        else copy.settings[name] = value;
        if (name === 'visibility' && value !== null) delete copy.settings.aot550;
        if (name === 'aot550' && value !== null) delete copy.settings.visibility;
    });
}

const shown = ref<Record<string, boolean>>({});
/** The peg whose row is pointed at: the others step back. */
const looked = ref<number | null>(null);
const rows = computed(() =>
    (bench.store.study.value?.pegs ?? []).flatMap((peg) => {
        const read = spectra.value?.pegs.find((one) => one.id === peg.id);
        return read && read.surface.some((value) => value !== null) ? [{ peg, read, fit: fitOf(peg) }] : [];
    }),
);
const drawn = computed(() => rows.value.filter(({ peg }) => shown.value[peg.letter] !== false));

async function say(peg: Peg, signature: string): Promise<void> {
    await bench.store.act(() => must(api.PATCH('/pegs/{peg}', { params: { path: { peg: peg.id } }, body: { signature: signature || null } })));
}
function choose(event: Event): void {
    const input = event.target as HTMLInputElement;
    if (input.files?.[0]) void add(input.files[0]);
    input.value = '';
}

const [W, H, LEFT, TOP, RIGHT, LOW] = [300, 186, 30, 8, 14, 30];
const bands = computed(() => spectra.value?.bands ?? []);
const curve = (library: string, signature: string) => {
    const found = libraries.value.find((one) => one.library === library);
    const values = found?.covers.find((cover) => cover.name === signature)?.values;
    return found && values
        ? found.wavelengths.flatMap((at, i) => (values[i] === null || values[i] === undefined ? [] : [[at, 100 * values[i]!] as const]))
        : [];
};
const top = computed(
    () =>
        Math.max(
            5,
            ...drawn.value.flatMap(({ read, fit }) => [
                ...read.surface.map((value) => 100 * (value ?? 0)),
                ...read.above.map((value) => 100 * (value ?? 0)),
                ...(fit ? curve(fit.library, fit.signature).map(([, value]) => value) : []),
            ]),
        ) * 1.06,
);
const low = computed(() => Math.min(0, ...drawn.value.flatMap(({ read }) => read.surface.map((value) => 100 * (value ?? 0)))) * 1.05);
const x = scaleLinear([0.4, 2.4], [LEFT, W - RIGHT]);
const up = computed(() => scaleLinear([low.value, top.value], [H - LOW, TOP]));
const y = (value: number) => up.value(value);
const line = (values: (number | null)[]) =>
    bands.value
        .map((band, i) => ({ at: band.wavelength, value: values[i] }))
        .filter((one) => one.value !== null && one.value !== undefined)
        .sort((a, b) => a.at - b.at)
        .map((one) => `${x(one.at).toFixed(1)},${y(100 * one.value!).toFixed(1)}`)
        .join(' ');
/** Where a spectrum ends to the right: its letter stands there. */
function end(values: (number | null)[]): { x: number; y: number } | null {
    const last = bands.value
        .map((band, i) => ({ at: band.wavelength, value: values[i] }))
        .filter((one) => typeof one.value === 'number')
        .sort((a, b) => b.at - a.at)[0];
    return last ? { x: x(last.at), y: y(100 * last.value!) } : null;
}
const label = computed(() => {
    const spectra = drawn.value.map(({ peg, fit }) => `${peg.letter}${fit ? ` beside ${fit.signature}, ${number(fit.angle, 3)} degrees` : ''}`);
    return `Reflectance at the pegs over wavelength, in per cent: ${spectra.join('; ')}`;
});
</script>

<template>
    <section class="space-y-2" data-surface>
        <p v-if="item" class="text-sm text-ink-2">
            <span data-asked>{{ asked ? `Atmosphere: ${asked}.`.replace('..', '.') : 'Atmosphere over the scene.' }}</span>{{ ' ' }}
            <button class="plain" data-ask-air @click="ask(true)">Ask the service again</button>
        </p>
        <div class="space-y-0.5">
            <AirSetting
                v-for="setting in settings"
                :key="setting.name"
                :setting="setting"
                :value="form.draft.value.settings[setting.name]"
                :in-force="inForce(setting.name)"
                :problem="about(setting.name)"
                @set="set(setting.name, $event)"
            />
        </div>

        <figure v-if="rows.length" class="m-0">
            <svg :viewBox="`0 0 ${W} ${H}`" class="w-full" role="img" :aria-label="label" data-spectra>
                <g v-for="value in up.ticks(4)" :key="value">
                    <line :x1="LEFT" :x2="W - RIGHT" :y1="y(value)" :y2="y(value)" stroke="var(--line)" />
                    <text :x="LEFT - 4" :y="y(value) + 3.5" text-anchor="end" font-size="10" fill="var(--ink-2)">{{ short(value) }}</text>
                </g>
                <text
                    v-for="value in [0.5, 1, 1.5, 2]"
                    :key="`x${value}`"
                    :x="x(value)"
                    :y="H - LOW + 12"
                    text-anchor="middle"
                    font-size="10"
                    fill="var(--ink-2)"
                >
                    {{ value }}
                </text>
                <text :x="LEFT" :y="H - 4" font-size="10" fill="var(--ink-2)">reflectance, %</text>
                <text :x="W - RIGHT" :y="H - 4" text-anchor="end" font-size="10" fill="var(--ink-2)">wavelength, µm</text>
                <g v-for="{ peg, read, fit } in drawn" :key="peg.id" :opacity="looked === null || looked === peg.id ? 1 : 0.2">
                    <template v-if="fit">
                        <polyline
                            v-for="[colour, wide] in [
                                ['var(--ink-2)', 1.6],
                                [pegColour(peg.letter), 0.8],
                            ]"
                            :key="colour"
                            :points="
                                curve(fit.library, fit.signature)
                                    .map(([at, value]) => `${x(at).toFixed(1)},${y(value).toFixed(1)}`)
                                    .join(' ')
                            "
                            fill="none"
                            :stroke="`${colour}`"
                            :stroke-width="wide"
                        />
                    </template>
                    <polyline :points="line(read.above)" fill="none" :stroke="pegColour(peg.letter)" stroke-width="1.2" stroke-dasharray="2 3" />
                    <polyline :points="line(read.surface)" fill="none" stroke="var(--ink)" stroke-width="3" opacity="0.35" />
                    <polyline :points="line(read.surface)" fill="none" :stroke="pegColour(peg.letter)" stroke-width="2" :data-spectrum="peg.letter" />
                    <text
                        v-if="end(read.surface)"
                        :x="end(read.surface)!.x + 4"
                        :y="end(read.surface)!.y + 3.5"
                        font-size="10"
                        font-weight="700"
                        fill="var(--ink)"
                    >
                        {{ peg.letter }}
                    </text>
                </g>
            </svg>
            <figcaption class="text-xs text-ink-2">
                thick: surface reflectance with these settings · dotted: top of atmosphere · thin: signature; point at a row to highlight it
            </figcaption>
        </figure>
        <table v-if="rows.length" class="w-full text-sm" data-fits>
            <thead>
                <tr class="text-xs text-ink-2">
                    <th class="text-left font-normal">peg</th>
                    <th class="text-left font-normal">beside</th>
                    <th class="text-right font-normal">angle</th>
                    <th class="text-right font-normal">RMSE</th>
                </tr>
            </thead>
            <tbody>
                <tr
                    v-for="{ peg, read, fit } in rows"
                    :key="peg.id"
                    class="border-t border-line"
                    :class="looked === peg.id ? 'bg-line/40' : ''"
                    :data-fit="peg.letter"
                    @mouseenter="looked = peg.id"
                    @mouseleave="looked = null"
                    @focusin="looked = peg.id"
                    @focusout="looked = null"
                >
                    <td class="pr-2">
                        <button
                            class="inline-block rounded-xs border border-ink px-1 text-xs font-bold text-black"
                            :class="shown[peg.letter] === false ? 'opacity-35' : ''"
                            :style="{ background: pegColour(peg.letter) }"
                            :aria-pressed="shown[peg.letter] !== false"
                            :title="`${peg.name ?? `Peg ${peg.letter}`}: draw it or not`"
                            @click="shown = { ...shown, [peg.letter]: shown[peg.letter] === false }"
                        >
                            {{ peg.letter }}
                        </button>
                    </td>
                    <td class="py-0.5">
                        <select
                            class="field py-0!"
                            :value="peg.signature ?? ''"
                            :aria-label="`Signature beside peg ${peg.letter}`"
                            @change="say(peg, ($event.target as HTMLSelectElement).value)"
                        >
                            <option value="">{{ peg.signature ? 'the nearest' : `nearest: ${fit?.signature ?? 'none'}` }}</option>
                            <option v-for="one in read.fits" :key="`${one.library}/${one.signature}`" :value="one.signature">{{ one.signature }}</option>
                        </select>
                    </td>
                    <td class="figures text-right whitespace-nowrap" data-angle>{{ fit ? `${number(fit.angle, 3)}°` : '–' }}</td>
                    <td class="figures pl-2 text-right whitespace-nowrap" data-rmse>{{ fit ? `${number(100 * fit.rmse, 3)} %` : '–' }}</td>
                </tr>
            </tbody>
        </table>
        <p v-else-if="item" class="text-sm text-ink-2">
            Drop pegs on places of known cover: their spectra appear here beside signatures and follow the settings.
            <button class="plain" @click="bench.drawing.tool.value = { does: 'peg' }">Drop pegs (P)</button>
        </p>
        <p v-if="problem" class="text-sm text-madder">{{ problem }}</p>
        <details class="text-sm">
            <summary class="text-ink-2">signatures</summary>
            <ul class="mt-1">
                <li v-for="one in libraries" :key="one.library" class="flex items-baseline justify-between gap-2">
                    <span
                        >{{ one.library }} <span class="text-ink-2">· {{ one.covers.length }} covers</span></span
                    ><button v-if="one.added" class="plain text-ink-2!" :data-remove-library="one.library" @click="remove(one.library)">remove</button>
                </li>
            </ul>
            <label class="plain mt-1 inline-block"
                >add measured signatures (CSV)<input type="file" accept=".csv,.txt,text/csv" class="sr-only" data-add-signatures @change="choose"
            /></label>
            <p class="text-xs text-ink-2">A heading line, then a column of wavelengths (µm or nm) and one column of reflectance (0 to 1 or %) per cover.</p>
        </details>
    </section>
</template>
