<script setup lang="ts">
import { scaleLinear } from 'd3-scale';
import { useElementSize } from '@vueuse/core';
import { computed, useTemplateRef } from 'vue';
import type { Scene } from '../api/client';
import type { Ring } from './coverage';
import type { ArchiveStore } from './useArchive';

/** Where the scenes lie, and the area that is asked about. */
const props = defineProps<{ store: ArchiveStore }>();
const { scenes, picked, chosen, hovered, polygons, toggle } = props.store;

const frame = useTemplateRef<HTMLElement>('frame');
const { width, height } = useElementSize(frame);
const extent = computed(() => {
    const all = [...scenes.value.flatMap((scene) => scene.rings.flat()), ...polygons.value.flat(2)];
    if (!all.length) return null;
    const xs = all.map((place) => place[0]!);
    const ys = all.map((place) => place[1]!);
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)] as const;
});
/** Degrees to the screen: north is up, and a degree of longitude as short as it is there. */
const scale = computed(() => {
    const [west, south, east, north] = extent.value ?? [0, 0, 1, 1];
    const squeeze = Math.cos((((south + north) / 2) * Math.PI) / 180);
    const factor = Math.min((width.value - 70) / Math.max(1e-9, (east - west) * squeeze), (height.value - 52) / Math.max(1e-9, north - south));
    return { squeeze, factor, cx: (west + east) / 2, cy: (south + north) / 2 };
});
const x = (longitude: number) => width.value / 2 + 14 + (longitude - scale.value.cx) * scale.value.squeeze * scale.value.factor;
const y = (latitude: number) => height.value / 2 - 8 - (latitude - scale.value.cy) * scale.value.factor;
const path = (ring: Ring) => `${ring.map(([a, b], i) => `${i ? 'L' : 'M'}${x(a!).toFixed(1)} ${y(b!).toFixed(1)}`).join('')}Z`;
const outline = (scene: Scene) => scene.rings.map(path).join('');
/** The picture of what is pointed at, else of what was chosen last, lies in its footprint. */
const pictured = computed(() => scenes.value.find((scene) => scene.id === hovered.value) ?? picked.value[picked.value.length - 1] ?? null);
const frameOf = (scene: Scene) => {
    const all = scene.rings.flat();
    const xs = all.map((place) => x(place[0]!));
    const ys = all.map((place) => y(place[1]!));
    return { x: Math.min(...xs), y: Math.min(...ys), width: Math.max(...xs) - Math.min(...xs), height: Math.max(...ys) - Math.min(...ys) };
};
const graticule = computed(() => {
    const [west, south, east, north] = extent.value ?? [0, 0, 1, 1];
    return { along: scaleLinear([west, east], [0, 1]).ticks(4), up: scaleLinear([south, north], [0, 1]).ticks(4) };
});
</script>

<template>
    <div ref="frame" class="relative min-h-0 overflow-hidden bg-surround" data-scene-map>
        <svg v-if="extent" class="absolute inset-0 size-full" role="group" aria-label="Footprints">
            <g stroke="#fff" stroke-opacity="0.14">
                <path v-for="one in graticule.along" :key="`x${one}`" :d="`M${x(one)} 0V${height - 20}`" />
                <path v-for="one in graticule.up" :key="`y${one}`" :d="`M40 ${y(one)}H${width}`" />
            </g>
            <g font-size="11" fill="#d2d2ce" class="figures">
                <text v-for="one in graticule.along" :key="`x${one}`" :x="x(one)" :y="height - 6" text-anchor="middle">{{ one }}°</text>
                <text v-for="one in graticule.up" :key="`y${one}`" x="4" :y="y(one) + 4">{{ one }}°</text>
            </g>
            <image v-if="pictured?.thumbnail" :href="pictured.thumbnail" v-bind="frameOf(pictured)" preserveAspectRatio="none" :clip-path="`url(#seen)`" />
            <clipPath id="seen"><path v-if="pictured" :d="outline(pictured)" /></clipPath>
            <g v-for="scene in scenes" :key="scene.id">
                <path v-if="chosen.includes(scene.id)" :d="outline(scene)" fill="none" stroke="#fff" stroke-width="5" stroke-linejoin="round" />
                <path
                    :d="outline(scene)"
                    fill="#fff"
                    :fill-opacity="chosen.includes(scene.id) && pictured?.id !== scene.id ? 0.1 : 0"
                    :stroke="chosen.includes(scene.id) ? '#111' : '#fff'"
                    :stroke-opacity="chosen.includes(scene.id) || hovered === scene.id ? 1 : 0.28"
                    :stroke-width="hovered === scene.id ? 2 : 1.2"
                    class="cursor-pointer"
                    :data-footprint="scene.id"
                    @click="toggle(scene)"
                    @mouseenter="hovered = scene.id"
                    @mouseleave="hovered = null"
                />
            </g>
            <g v-for="(rings, i) in polygons" :key="i" fill="none" class="pointer-events-none">
                <path :d="rings.map(path).join('')" stroke="#000" stroke-width="3.5" opacity="0.6" />
                <path :d="rings.map(path).join('')" stroke="#fff" stroke-width="1.5" stroke-dasharray="7 4" />
            </g>
        </svg>
        <p v-else class="absolute inset-0 flex items-center justify-center text-on-surround">Footprints of the scenes found appear here.</p>
    </div>
</template>
