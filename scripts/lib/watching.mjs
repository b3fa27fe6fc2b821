/**
 * The service built anew, and started anew, with each change of what it is made of; the console from a server that hands changes to the
 * browser as they are made. For whoever works on it: `npm run watch`.
 */
import { join } from 'node:path';
import react from '@vitejs/plugin-react';
import { build, createServer } from 'vite';
import { ROOT } from './installation.mjs';

/** A page asks the service as from itself: the service takes calls from its own origin alone. */
const proxied = (target) => ({
  target,
  configure: (proxy) =>
    proxy.on('proxyReq', (request) => {
      if (request.getHeader('origin')) request.setHeader('origin', target);
    }),
});

/** What the service answers itself; everything else is the console’s. */
const OF_THE_SERVICE = ['/api', '/oidc', '/.well-known', '/health', '/metrics', '/pocket'];

/** Pages that load nothing of the console, and have an HTML file of their own. */
const signInPages = {
  name: 'sign-in-pages',
  configureServer(server) {
    server.middlewares.use((request, _, next) => {
      if (/^\/(sign-in|signed-in|enrol|reset-password|not-me)(\?|$)/.test(request.url)) request.url = '/sign-in.html';
      next();
    });
  },
};

/**
 * @param restart ends the service that runs and starts one of what was built
 * @param service the address of the service
 * @returns ends the watching; once there is a build to run
 */
export async function startWatching({ restart, service, port, say }) {
  const builds = await build({
    root: join(ROOT, 'packages/service'),
    configFile: join(ROOT, 'packages/service/vite.config.ts'),
    // A change is wanted at once, and read by somebody.
    build: { watch: {}, rolldownOptions: { output: { minify: false } } },
  });
  let built;
  // What runs is loaded from files that the first build replaces: it is waited for.
  const first = new Promise((resolve) => (built = resolve));
  let ready = false;
  let restarting = Promise.resolve();
  builds.on('event', (event) => {
    if (event.code === 'ERROR') say(`the service was not built: ${event.error.message}`);
    if (event.code === 'BUNDLE_END') void event.result.close();
    if (event.code !== 'END') return;
    if (!ready) {
      ready = true;
      built();
    } else restarting = restarting.then(restart).catch((error) => say(`the service does not start: ${error.message}`));
  });
  const console_ = await createServer({
    root: join(ROOT, 'packages/console'),
    configFile: false,
    plugins: [react(), signInPages],
    resolve: { conditions: ['nimble-latch-source', 'module', 'browser', 'development'] },
    server: {
      port,
      strictPort: true,
      host: 'localhost',
      proxy: Object.fromEntries(OF_THE_SERVICE.map((path) => [path, proxied(service)])),
    },
    logLevel: 'warn',
  });
  await console_.listen();
  await first;
  return async () => {
    await console_.close();
    await builds.close();
  };
}
