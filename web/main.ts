import 'element-plus/dist/index.css';
import './look/fonts.ts';
import './look/theme.css';
import { createPinia } from 'pinia';
import { createApp } from 'vue';
import App from './App.vue';
import { router } from './router.ts';

createApp(App).use(createPinia()).use(router).mount('#app');
