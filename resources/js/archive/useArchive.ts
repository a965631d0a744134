import { computed, ref, shallowRef, watch } from 'vue';
import { api, must, Problem, type Archive, type Found, type Scene, type Step } from '../api/client';
import { useStudy } from '../bench/useStudy';
import { share, spread, type Ring } from './coverage';

/** The archive's screen: what is searched for, what was found, what is chosen, and what is on its way. */
export function useArchive(id: number) {
    const store = useStudy(id);
    const archives = shallowRef<Archive[]>([]);
    const archive = ref('stand-in');
    const bounds = ref<string[]>(['', '', '', '']);
    const from = ref('');
    const to = ref('');
    const cloud = ref(60);
    const found = shallowRef<Found | null>(null);
    const missions = ref<string[]>([]);
    const searching = ref(false);
    const problem = ref<{ text: string; about: string | null } | null>(null);
    const chosen = ref<string[]>([]);
    const hovered = ref<string | null>(null);
    const groups = ref<string[]>(['multispectral']);

    const box = computed<[number, number, number, number] | null>(() => {
        const numbers = bounds.value.map((text) => Number(text.replace('−', '-').replace(',', '.')));
        return bounds.value.every((text) => text.trim() !== '') && numbers.every(Number.isFinite) && numbers[0]! < numbers[2]! && numbers[1]! < numbers[3]!
            ? (numbers as [number, number, number, number])
            : null;
    });
    /** What coverage is told of: the study's area where it is what is searched, else the box. */
    const polygons = computed<Ring[][]>(() => {
        const area = store.study.value?.area;
        if (area && box.value && area.bounds.every((value, i) => Math.abs(value - box.value![i]!) < 1e-4))
            return (area.geometry as { coordinates: Ring[][] }).coordinates;
        if (!box.value) return [];
        const [west, south, east, north] = box.value;
        return [
            [
                [
                    [west, south],
                    [east, south],
                    [east, north],
                    [west, north],
                    [west, south],
                ],
            ],
        ];
    });
    const places = computed(() => spread(polygons.value));
    const scenes = computed<Scene[]>(() =>
        (found.value?.scenes ?? []).filter((scene) => missions.value.includes(scene.collection)).sort((a, b) => a.time.localeCompare(b.time)),
    );
    const picked = computed(() => scenes.value.filter((scene) => chosen.value.includes(scene.id)));
    const covers = computed(() => new Map(scenes.value.map((scene) => [scene.id, share(places.value, [scene])])));
    const covered = computed(() => share(places.value, picked.value));
    /** Orders of this study, the last first. */
    const kind = computed(() => store.kinds.value.find((one) => one.desk.page === 'archive')?.id ?? '');
    const orders = computed<Step[]>(() => store.steps.value.filter((step) => step.kind === kind.value).reverse());
    const orderOf = (scene: Scene) => orders.value.find((step) => step.settings.scene === scene.id);

    async function guarded<T>(action: () => Promise<T>): Promise<T | null> {
        problem.value = null;
        try {
            return await action();
        } catch (error) {
            problem.value = { text: (error as Problem).message, about: (error as Problem).about ?? null };
            return null;
        }
    }

    async function start(): Promise<void> {
        await store.start();
        archives.value = (await guarded(() => must(api.GET('/archives')))) ?? [];
        useArea();
        await search();
    }

    function useArea(): void {
        const area = store.study.value?.area;
        if (area) bounds.value = area.bounds.map((value) => String(Number(value.toFixed(5))));
    }

    async function search(): Promise<void> {
        if (bounds.value.some((text) => text.trim() !== '') && !box.value) {
            problem.value = { text: 'The area needs four numbers in degrees: west less than east, south less than north.', about: 'bounds' };
            return;
        }
        searching.value = true;
        const result = await guarded(() =>
            must(
                api.POST('/archives/search', {
                    body: { archive: archive.value, bounds: box.value, from: from.value || null, to: to.value || null, cloud: cloud.value },
                }),
            ),
        );
        searching.value = false;
        if (!result) return;
        found.value = result;
        missions.value = [...new Set(result.scenes.map((scene) => scene.collection))];
        chosen.value = chosen.value.filter((one) => result.scenes.some((scene) => scene.id === one));
    }

    function toggle(scene: Scene): void {
        chosen.value = chosen.value.includes(scene.id) ? chosen.value.filter((one) => one !== scene.id) : [...chosen.value, scene.id];
    }

    async function order(): Promise<void> {
        for (const scene of picked.value) {
            const made = await guarded(() =>
                must(
                    api.POST('/studies/{study}/steps', {
                        params: { path: { study: id } },
                        body: {
                            kind: kind.value,
                            inputs: {},
                            settings: { archive: archive.value, collection: scene.collection, scene: scene.id, groups: groups.value },
                            run: true,
                        },
                    }),
                ),
            );
            if (!made) return;
            chosen.value = chosen.value.filter((one) => one !== scene.id);
        }
        await store.ask();
    }

    async function add(address: string): Promise<boolean> {
        const made = await guarded(() => must(api.POST('/archives', { body: { address } })));
        if (!made) return false;
        archives.value = await must(api.GET('/archives'));
        archive.value = made.address;
        return true;
    }
    async function forget(): Promise<void> {
        const one = archives.value.find((other) => other.address === archive.value);
        if (!one?.id) return;
        await guarded(() => must(api.DELETE('/archives/{archive}', { params: { path: { archive: one.id! } } })));
        archives.value = await must(api.GET('/archives'));
        archive.value = 'stand-in';
    }

    watch(archive, () => {
        found.value = null;
        chosen.value = [];
        void search();
    });

    return {
        ...store,
        archives,
        archive,
        bounds,
        from,
        to,
        cloud,
        found,
        missions,
        searching,
        problem,
        chosen,
        hovered,
        groups,
        box,
        polygons,
        scenes,
        picked,
        covers,
        covered,
        orders,
        orderOf,
        start,
        useArea,
        search,
        toggle,
        order,
        add,
        forget,
    };
}

export type ArchiveStore = ReturnType<typeof useArchive>;
