/**
 * Runs while the page is closed: rings when the service wakes it, and opens the page; opens the page without a network, as it was last seen. It knows nothing of who asks what: whoever is
 * to answer sees that on the page, and whoever looks at a locked phone does not.
 */

/** As much of what a service worker has as is used here; the compiler's own list does not go together with that of pages. */
interface Ringer {
  readonly registration: ServiceWorkerRegistration;
  readonly clients: {
    matchAll: (options: { type: 'window'; includeUncontrolled: boolean }) => Promise<readonly Page[]>;
    openWindow: (url: string) => Promise<unknown>;
    claim: () => Promise<void>;
  };
  skipWaiting: () => Promise<void>;
  addEventListener: (type: string, listen: (event: Woken) => void) => void;
}
interface Page {
  readonly url: string;
  readonly visibilityState: DocumentVisibilityState;
  focus: () => Promise<unknown>;
}
interface Woken {
  readonly notification?: Notification;
  readonly request: Request;
  respondWith: (response: Promise<Response>) => void;
  waitUntil: (work: Promise<unknown>) => void;
}
const worker = self as unknown as Ringer;

const PAGE = '/pocket/';
const [title, body] = navigator.language.startsWith('de')
  ? ['Melden Sie sich gerade an?', 'Sehen Sie nach, wer da fragt.']
  : ['Are you signing in?', 'Look who is asking.'];

const pages = async () =>
  (await worker.clients.matchAll({ type: 'window', includeUncontrolled: true })).filter(
    ({ url }) => new URL(url).pathname === PAGE,
  );

async function ring(): Promise<void> {
  // In sight it shows the question by itself.
  if ((await pages()).some(({ visibilityState }) => visibilityState === 'visible')) return;
  const options = { body, tag: 'ask', renotify: true, requireInteraction: true, icon: '/pocket/mark.svg' };
  await worker.registration.showNotification(title, options);
}

async function open(): Promise<void> {
  const [page] = await pages();
  await (page ? page.focus() : worker.clients.openWindow(PAGE));
}

const KEPT = 'pocket';

/** The page, and what it names, as they are now; nothing else is kept. */
async function keep(page: Response): Promise<void> {
  const kept = await caches.open(KEPT);
  const named = (await page.clone().text()).match(/\/pocket\/[\w./-]+\.(?:js|css|svg|webmanifest)/g) ?? [];
  const wanted = [...new Set(named)];
  const before = new Set((await kept.keys()).map(({ url }) => new URL(url).pathname));
  await kept.addAll(wanted.filter((path) => !before.has(path)));
  await kept.put(PAGE, page);
  for (const path of before) if (path !== PAGE && !wanted.includes(path)) await kept.delete(path);
}

/** What comes over the network, or was kept where there is none. */
async function served(event: Woken, path: string): Promise<Response> {
  try {
    const fresh = await fetch(event.request);
    if (path === PAGE && fresh.ok) event.waitUntil(keep(fresh.clone()));
    return fresh;
  } catch (error) {
    const kept = await (await caches.open(KEPT)).match(path);
    if (kept) return kept;
    throw error;
  }
}

worker.addEventListener('install', (event) =>
  event.waitUntil(Promise.all([worker.skipWaiting(), fetch(PAGE).then(keep)])),
);
worker.addEventListener('fetch', (event) => {
  const { pathname, origin } = new URL(event.request.url);
  if (event.request.method === 'GET' && origin === location.origin && pathname.startsWith(PAGE))
    event.respondWith(served(event, pathname));
});
worker.addEventListener('activate', (event) => event.waitUntil(worker.clients.claim()));
worker.addEventListener('push', (event) => event.waitUntil(ring()));
worker.addEventListener('notificationclick', (event) => {
  event.notification?.close();
  event.waitUntil(open());
});
