import tailwindcss from '@tailwindcss/vite';
import vue from '@vitejs/plugin-vue';
import laravel from 'laravel-vite-plugin';
import { defineConfig } from 'vite';

export default defineConfig({
    plugins: [laravel({ input: ['resources/css/app.css', 'resources/js/main.ts'], refresh: false }), vue(), tailwindcss()],
    build: { chunkSizeWarningLimit: 1200 },
});
