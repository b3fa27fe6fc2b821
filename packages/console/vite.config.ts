import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  build: {
    outDir: 'dist/web',
    // The console, and the pages for everybody else: those load only what they need.
    rolldownOptions: { input: ['index.html', 'sign-in.html'] },
    emptyOutDir: true,
    // Nothing is inlined: the content-security policy lets no data: fonts or scripts through.
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
    chunkSizeWarningLimit: 900,
  },
});
