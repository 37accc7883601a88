import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { VitePWA } from 'vite-plugin-pwa';

export default defineConfig({
  plugins: [
    react(),
    tailwindcss(),
    // The shell and the day sheet open without a network. Public pages, files and the API are no matter of the worker.
    VitePWA({
      registerType: 'autoUpdate',
      injectRegister: null,
      manifest: false,
      workbox: {
        globPatterns: ['index.html', 'assets/index-*.{js,css}', 'assets/*latin-*normal*.woff2'],
        navigateFallback: '/index.html',
        navigateFallbackAllowlist: [/^\/$/, /^\/(almanac|proof|tasks|people|inquiries|pipeline|programs|letters|practice|meetings|signing|forms)(\/|$)/],
      },
    }),
  ],
  build: { target: 'es2022', sourcemap: false },
  server: { proxy: Object.fromEntries(['/api', '/i/', '/g/', '/f/', '/form/'].map((path) => [path, 'http://127.0.0.1:5080'])) },
});
