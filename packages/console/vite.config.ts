import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { compression } from 'vite-plugin-compression2';

export default defineConfig({
  // Compressed once, here, and not at each request. Only files that everybody may read: what is compressed tells nothing.
  plugins: [react(), compression({ algorithms: ['gzip', 'brotliCompress'], include: /assets\/.*\.(js|css)$/ })],
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
