import { readFileSync } from 'node:fs';
import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { VitePWA } from 'vite-plugin-pwa';

/** Of the files built, those read as soon as the application opens: what its start imports (not what it asks for later), and its words. */
function readAtOnce(entries: { url: string; size: number }[]) {
  const wanted = new Set<string>();
  const take = (url: string) => {
    if (wanted.has(url)) return;
    wanted.add(url);
    if (!url.endsWith('.js')) return;
    const code = readFileSync(new URL(`dist/${url}`, import.meta.url), 'utf8');
    for (const [, file] of code.matchAll(/(?:from|import)\s*["']\.\/([\w.-]+\.js)["']/g)) take(`assets/${file}`);
  };
  for (const { url } of entries) if (!url.endsWith('.js') || /^assets\/(index|start|de|en-US)-/.test(url)) take(url);
  return { manifest: entries.filter((e) => wanted.has(e.url)) as never[], warnings: [] };
}

export default defineConfig({
  plugins: [
    react(),
    tailwindcss(),
    // The shell, its words and the day sheet open without a network. Public pages, files and the API are no matter of the worker.
    VitePWA({
      registerType: 'autoUpdate',
      injectRegister: null,
      manifest: false,
      workbox: {
        manifestTransforms: [readAtOnce],
        globPatterns: ['index.html', 'assets/*.js', 'assets/index-*.css', 'assets/*latin-*normal*.woff2'],
        navigateFallback: '/index.html',
        navigateFallbackAllowlist: [/^\/$/, /^\/(almanac|proof|tasks|people|inquiries|pipeline|programs|letters|practice|meetings|signing|forms)(\/|$)/],
      },
    }),
  ],
  build: { target: 'es2022', sourcemap: false },
  server: { proxy: Object.fromEntries(['/api', '/i/', '/g/', '/f/', '/form/'].map((path) => [path, 'http://127.0.0.1:5080'])) },
});
