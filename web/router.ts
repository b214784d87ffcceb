import { createRouter, createWebHistory } from 'vue-router';
import BenchView from './views/bench/BenchView.vue';
import LarderView from './views/larder/LarderView.vue';
import SetPage from './views/larder/SetPage.vue';
import PracticeBench from './views/practice/PracticeBench.vue';
import RunsView from './views/runs/RunsView.vue';
import NotFound from './views/NotFound.vue';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/bench' },
    { path: '/bench/:serial?', name: 'bench', component: BenchView, props: true, meta: { title: 'Bench' } },
    { path: '/larder', name: 'larder', component: LarderView, meta: { title: 'Larder' } },
    { path: '/larder/sets/:id', name: 'set', component: SetPage, props: true, meta: { title: 'Larder' } },
    { path: '/runs/:id?', name: 'runs', component: RunsView, props: true, meta: { title: 'Runs' } },
    { path: '/practice', name: 'practice', component: PracticeBench, meta: { title: 'Practice bench' } },
    { path: '/:rest(.*)*', name: 'not-found', component: NotFound, meta: { title: 'Not found' } },
  ],
});
