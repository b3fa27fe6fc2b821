import { readFileSync } from 'node:fs';
import { defineConfig } from 'vite';

const { version } = JSON.parse(readFileSync(new URL('package.json', import.meta.url), 'utf8')) as { version: string };

/** One bundle with its dependencies in it: the client starts in a fraction of the time that resolving modules takes. */
export default defineConfig({
  define: { NLATCH_VERSION: JSON.stringify(version) },
  resolve: { conditions: ['nimble-latch-source'] },
  ssr: { noExternal: true, resolve: { conditions: ['nimble-latch-source', 'import', 'node', 'default'] } },
  build: {
    ssr: 'src/main.ts',
    outDir: 'dist/bundle',
    emptyOutDir: true,
    target: 'node20',
    minify: true,
    rolldownOptions: { output: { format: 'es', entryFileNames: 'main.js', chunkFileNames: '[name]-[hash].js' } },
  },
  logLevel: 'warn',
});
