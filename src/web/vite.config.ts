import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { target: 'es2022', sourcemap: false },
  server: { proxy: Object.fromEntries(['/api', '/i/', '/g/', '/f/', '/form/'].map((path) => [path, 'http://127.0.0.1:5080'])) },
});
