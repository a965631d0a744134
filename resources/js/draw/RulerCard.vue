<script setup lang="ts">
import { useBench } from '../bench/useBench';
import { hectares, length, number, pixelSize } from '../plots/format';
import { useRuler } from './useRuler';

/** What the ruler says. */
const { told, rows } = useRuler(useBench());
const area = (squareMetres: number) => (squareMetres < 1000 ? `${number(squareMetres)} m²` : hectares(squareMetres / 1e4));
</script>

<template>
    <span v-if="told" class="mt-1 block border-t border-white/25 pt-1 text-sm text-white" role="status" data-measured>
        <span v-if="told.metres !== null" class="figures block">
            <b data-length>{{ length(told.metres) }}</b>
            <template v-if="told.squareMetres !== null">
                round · <b data-area>{{ area(told.squareMetres) }}</b></template
            >
        </span>
        <span v-for="row in rows" :key="row.side" class="figures block text-xs" :data-pixels="row.side">
            {{ row.side.toUpperCase() }}: {{ number(row.columns) }} columns, {{ number(row.rows) }} rows<template v-if="row.pixels !== null"
                >, {{ number(row.pixels) }} pixels</template
            >
            of {{ pixelSize(row.item.raster.own.pixel) }}
        </span>
    </span>
</template>
