import { defineConfig } from 'vite';

export default defineConfig({
  base: '/pocket/',
  // Written for React, as the console is. React's own renderer alone is more than the whole page may weigh on a phone.
  resolve: {
    alias: {
      'react/jsx-runtime': 'preact/jsx-runtime',
      'react-dom/client': 'preact/compat/client',
      'react-dom': 'preact/compat',
      react: 'preact/compat',
    },
  },
  build: {
    outDir: 'dist/web',
    emptyOutDir: true,
    // Nothing is inlined: the content-security policy lets no data: pictures or scripts through.
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
    rolldownOptions: {
      input: { index: 'index.html', wake: 'src/wake.ts' },
      // What runs while the page is closed is known by its address.
      output: {
        entryFileNames: ({ name }) => (name === 'wake' ? 'wake.js' : 'assets/[name]-[hash].js'),
      },
    },
  },
});
