import { ref, watch, type Ref } from 'vue';
import type { Scene } from '../api/client';

const AT_A_TIME = 2;
const TRIES = 4;

/** Small pictures come two at a time: the server has few places for asking others. One that does not come is asked for again at the end. */
export function useThumbnails(scenes: Ref<Scene[]>) {
    const addresses = ref<Record<string, string>>({});
    let waiting: { id: string; address: string; tries: number }[] = [];
    let open = new Map<string, { id: string; address: string; tries: number }>();

    watch(
        scenes,
        (all) => {
            addresses.value = {};
            open = new Map();
            waiting = all.filter((scene) => scene.thumbnail).map((scene) => ({ id: scene.id, address: scene.thumbnail!, tries: 1 }));
            fill();
        },
        { immediate: true },
    );

    function fill(): void {
        while (open.size < AT_A_TIME && waiting.length) {
            const next = waiting.shift()!;
            open.set(next.id, next);
            addresses.value[next.id] = next.tries === 1 ? next.address : `${next.address}&again=${next.tries}`;
        }
    }
    function came(id: string): void {
        open.delete(id);
        fill();
    }
    function failed(id: string): void {
        const one = open.get(id);
        if (one && one.tries < TRIES) waiting.push({ ...one, tries: one.tries + 1 });
        came(id);
    }
    return { addresses, came, failed };
}
