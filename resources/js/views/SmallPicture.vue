<script setup lang="ts">
import { useElementVisibility } from '@vueuse/core';
import { onBeforeUnmount, useTemplateRef, watch } from 'vue';
import type { RasterItem } from '../api/client';
import { lookFor, styleOf } from './look';
import { bandsOf, paint, TILE } from './paint';
import { onTile, tile, want } from './tileStore';

/** A small picture of a raster, painted from the one tile of its coarsest level. */
const props = withDefaults(defineProps<{ item: RasterItem; width?: number; height?: number; natural?: boolean }>(), { width: 44, height: 34, natural: false });
const canvas = useTemplateRef<HTMLCanvasElement>('canvas');
/** A long trail asks for the pictures that are looked at, no others. */
const isVisible = useElementVisibility(canvas);
const id = Symbol('thumbnail');
let drawn = 0;
let stop = () => {};

async function draw(): Promise<void> {
    stop();
    const { item } = props;
    drawn = item.id;
    const style = await styleOf(item, lookFor(item, { step: 0, output: '' }, props.natural)).catch(() => null);
    if (!style || item.id !== props.item.id || !canvas.value) return;
    const level = item.raster.levels.length - 1;
    const [columns, rows] = item.raster.levels[level] as [number, number];
    const attempt = () => {
        const { key, samples } = tile(item, bandsOf(style), level, 0, 0);
        want(id, samples ? new Set() : new Set([key]));
        if (!samples || !canvas.value) return;
        stop();
        const whole = document.createElement('canvas');
        whole.width = whole.height = TILE;
        whole.getContext('2d')!.putImageData(paint(samples, style, item.raster), 0, 0);
        const [w, h] = [Math.min(TILE, columns), Math.min(TILE, rows)];
        const scale = Math.max((props.width * 2) / w, (props.height * 2) / h);
        const context = canvas.value.getContext('2d')!;
        context.clearRect(0, 0, props.width * 2, props.height * 2);
        context.drawImage(whole, 0, 0, w, h, props.width - (w * scale) / 2, props.height - (h * scale) / 2, w * scale, h * scale);
    };
    stop = onTile(attempt);
    attempt();
}

watch([isVisible, () => props.item.id], () => isVisible.value && drawn !== props.item.id && draw());
onBeforeUnmount(() => {
    stop();
    want(id, new Set());
});
</script>

<template>
    <canvas
        ref="canvas"
        :width="width * 2"
        :height="height * 2"
        :style="{ width: `${width}px`, height: `${height}px` }"
        class="rounded-xs bg-surround"
        aria-hidden="true"
    />
</template>
