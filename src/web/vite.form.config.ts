import { defineConfig } from 'vite';

// The script of public forms is one small file of its own, a classic script: a frame that is sandboxed has no origin that modules could be asked from.
export default defineConfig({
  publicDir: false,
  build: {
    target: 'es2022',
    emptyOutDir: false,
    sourcemap: false,
    rollupOptions: { input: 'src/public/form.ts', output: { format: 'iife', entryFileNames: 'form.js' } },
  },
});
