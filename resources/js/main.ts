import { VueQueryPlugin } from '@tanstack/vue-query';
import { createApp } from 'vue';
import { queries } from './api/queries';
import { createRouter, createWebHistory } from 'vue-router';
import App from './App.vue';
import ArchivePage from './archive/ArchivePage.vue';
import BenchPage from './bench/BenchPage.vue';
import StudiesPage from './studies/StudiesPage.vue';
import WorkPage from './work/WorkPage.vue';

const router = createRouter({
    history: createWebHistory(),
    routes: [
        { path: '/', component: StudiesPage },
        { path: '/studies/:id', component: BenchPage, props: (route) => ({ id: Number(route.params.id) }) },
        { path: '/studies/:id/archive', component: ArchivePage, props: (route) => ({ id: Number(route.params.id) }) },
        { path: '/work', component: WorkPage },
        { path: '/:any(.*)', redirect: '/' },
    ],
});

createApp(App).use(router).use(VueQueryPlugin, { queryClient: queries }).mount('#app');
