import { defineConfig } from 'vite';

/** With code for the machine in it; or needed once in a release. */
const BESIDE = ['@node-rs/argon2', 'umzug'];
/** Sequelize would load one of these for another database. */
const OTHER_DATABASES = ['ibm_db', 'mysql2', 'oracledb', 'pg', 'pg-hstore', 'snowflake-sdk', 'sqlite3', 'tedious'];

/**
 * The service's programs with the packages that they use in them: started in half the time that finding and reading a thousand modules
 * takes. What has code of the machine's own in it stays beside.
 */
export default defineConfig({
  ssr: {
    noExternal: true,
    resolve: { conditions: ['nimble-latch-source', 'import', 'node', 'default'] },
  },
  // Sequelize brings the history of all time zones, for connections that have one of their own: ours are in UTC.
  resolve: { alias: { 'moment-timezone': 'moment-timezone/moment-timezone.js' } },
  build: {
    ssr: true,
    outDir: 'dist/bundle',
    emptyOutDir: true,
    target: 'node20',
    rolldownOptions: {
      external: [...BESIDE, ...OTHER_DATABASES],
      input: { main: 'src/host/main.ts', worker: 'src/platform/heavy/worker.ts' },
      // Shorter to read for the machine; its names stay, which stand in what the log says of a failure.
      output: {
        minify: { compress: true, mangle: false, codegen: true },
        format: 'es',
        entryFileNames: '[name].js',
        chunkFileNames: '[name]-[hash].js',
      },
    },
  },
  logLevel: 'warn',
});
