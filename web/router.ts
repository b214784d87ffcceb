import { createRouter, createWebHistory } from 'vue-router';
import BenchView from './views/bench/BenchView.vue';
import LarderView from './views/larder/LarderView.vue';
import ConnectionsPage from './views/connections/ConnectionsPage.vue';
import CopiesPage from './views/larder/CopiesPage.vue';
import ImportPage from './views/larder/ImportPage.vue';
import LookInside from './views/larder/LookInside.vue';
import ComparePage from './views/larder/comparing/ComparePage.vue';
import FindPage from './views/larder/finding/FindPage.vue';
import OffsitePage from './views/larder/offsite/OffsitePage.vue';
import ExportsPage from './views/larder/exports/ExportsPage.vue';
import FirmwarePage from './views/larder/firmware/FirmwarePage.vue';
import SealPage from './views/larder/sealing/SealPage.vue';
import OrderPage from './views/larder/order/OrderPage.vue';
import SetPage from './views/larder/SetPage.vue';
import PracticeBench from './views/practice/PracticeBench.vue';
import RunsView from './views/runs/RunsView.vue';
import NotFound from './views/NotFound.vue';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/bench' },
    { path: '/bench/:serial?', name: 'bench', component: BenchView, props: true, meta: { title: 'Bench' } },
    {
      path: '/bench/:serial/apps',
      name: 'apps',
      component: BenchView,
      props: (route) => ({ serial: route.params['serial'], view: 'apps' }),
      meta: { title: 'Apps', place: 'Bench' },
    },
    {
      path: '/bench/:serial/records',
      name: 'records',
      component: BenchView,
      props: (route) => ({ serial: route.params['serial'], view: 'records' }),
      meta: { title: 'Records', place: 'Bench' },
    },
    {
      path: '/bench/:serial/move',
      name: 'move',
      component: BenchView,
      props: (route) => ({ serial: route.params['serial'], view: 'move' }),
      meta: { title: 'Move', place: 'Bench' },
    },
    {
      path: '/bench/:serial/rescue',
      name: 'rescue',
      component: BenchView,
      props: (route) => ({ serial: route.params['serial'], view: 'rescue' }),
      meta: { title: 'Rescue', place: 'Bench' },
    },
    {
      path: '/bench/:serial/bootloader',
      name: 'bootloader',
      component: BenchView,
      props: (route) => ({ serial: route.params['serial'], view: 'bootloader' }),
      meta: { title: 'Bootloader', place: 'Bench' },
    },
    {
      path: '/bench/:serial/past',
      name: 'past',
      component: BenchView,
      props: (route) => ({ serial: route.params['serial'], view: 'past' }),
      meta: { title: 'Past', place: 'Bench' },
    },
    {
      path: '/bench/:serial/details',
      name: 'details',
      component: BenchView,
      props: (route) => ({ serial: route.params['serial'], view: 'details' }),
      meta: { title: 'Details', place: 'Bench' },
    },
    {
      path: '/connections',
      name: 'connections',
      component: ConnectionsPage,
      meta: { title: 'Connections', place: 'Bench' },
    },
    { path: '/larder', name: 'larder', component: LarderView, meta: { title: 'Larder' } },
    {
      path: '/larder/import/:id?',
      name: 'import',
      component: ImportPage,
      props: true,
      meta: { title: 'Larder' },
    },
    {
      path: '/larder/copies',
      name: 'copies',
      component: CopiesPage,
      meta: { title: 'Copies', place: 'Larder' },
    },
    { path: '/larder/find', name: 'find', component: FindPage, meta: { title: 'Find', place: 'Larder' } },
    {
      path: '/larder/off-site',
      name: 'offsite',
      component: OffsitePage,
      meta: { title: 'Off-site', place: 'Larder' },
    },
    {
      path: '/larder/exports',
      name: 'exports',
      component: ExportsPage,
      meta: { title: 'Exports', place: 'Larder' },
    },
    {
      path: '/larder/firmware',
      name: 'firmware',
      component: FirmwarePage,
      meta: { title: 'Firmware', place: 'Larder' },
    },
    { path: '/larder/seal', name: 'seal', component: SealPage, meta: { title: 'Seal', place: 'Larder' } },
    { path: '/larder/order', name: 'order', component: OrderPage, meta: { title: 'Order', place: 'Larder' } },
    {
      path: '/larder/compare/:id/:other',
      name: 'compare',
      component: ComparePage,
      props: true,
      meta: { title: 'Compare', place: 'Larder' },
    },
    { path: '/larder/sets/:id', name: 'set', component: SetPage, props: true, meta: { title: 'Larder' } },
    {
      path: '/larder/sets/:id/:partition',
      name: 'inside',
      component: LookInside,
      props: true,
      meta: { title: 'Larder' },
    },
    { path: '/runs/:id?', name: 'runs', component: RunsView, props: true, meta: { title: 'Runs' } },
    { path: '/practice', name: 'practice', component: PracticeBench, meta: { title: 'Practice bench' } },
    { path: '/:rest(.*)*', name: 'not-found', component: NotFound, meta: { title: 'Not found' } },
  ],
});
