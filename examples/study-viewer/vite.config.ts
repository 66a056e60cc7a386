import { fileURLToPath } from 'node:url';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

const path = (relative: string) => fileURLToPath(new URL(relative, import.meta.url));

export default defineConfig({
  base: './',
  plugins: [react()],
  // The built library, as a bundler sees the package.
  resolve: {
    alias: [
      { find: /^isomeric$/, replacement: path('../../dist/index.js') },
      { find: /^isomeric\/(\w+)$/, replacement: path('../../dist/$1/index.js') },
    ],
  },
  build: { target: 'es2022', chunkSizeWarningLimit: 2000 },
  worker: { format: 'es' },
});
