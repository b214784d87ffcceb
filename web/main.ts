import './look/components.ts';
import './look/fonts.ts';
import './look/theme.css';
import './look/hands-and-eyes.css';
import { createPinia } from 'pinia';
import { createApp } from 'vue';
import App from './App.vue';
import { router } from './router.ts';

// What was loaded before the program was changed asks for pieces that are no more.
window.addEventListener('vite:preloadError', () => window.location.reload());

createApp(App).use(createPinia()).use(router).mount('#app');
