import { bytesOf, sayHowToWake, type Account, type Waking } from './protocol.js';

/** How it stands with being woken while the page is closed. */
export type Standing = 'unsupported' | 'off' | 'on' | 'lost' | 'forbidden';

const canBeWoken = (): boolean => 'serviceWorker' in navigator && 'PushManager' in window && 'Notification' in window;

const worker = async (): Promise<ServiceWorkerRegistration> => {
  await navigator.serviceWorker.register('/pocket/wake.js');
  return await navigator.serviceWorker.ready;
};

/** The page is kept in the browser, so that it opens without a network too. */
export const readyAlone = async (): Promise<void> => {
  if ('serviceWorker' in navigator) await worker().catch(() => undefined);
};

/** What both sides know together: the service of a subscription, and this browser of the same. */
export async function standingOf({ state }: Waking): Promise<Standing> {
  if (!canBeWoken()) return 'unsupported';
  if (Notification.permission === 'denied') return 'forbidden';
  if (state === 'none') return 'off';
  const kept = await (await navigator.serviceWorker.getRegistration('/pocket/'))?.pushManager.getSubscription();
  return state === 'ready' && kept ? 'on' : 'lost';
}

/** Lets the service wake this phone, for one account: the browser asks its holder first. */
export async function wake(account: Account, { key, state }: Waking): Promise<Standing> {
  if ((await Notification.requestPermission()) !== 'granted') return 'forbidden';
  const { pushManager } = await worker();
  // A browser has one for all accounts of this page: another account's is taken as it is, and only what this one has lost is given up.
  const kept = await pushManager.getSubscription();
  if (kept && state === 'gone' && kept.toJSON().endpoint === localStorage.getItem(account.device))
    await kept.unsubscribe();
  const made = await pushManager.subscribe({ userVisibleOnly: true, applicationServerKey: bytesOf(key) });
  const { endpoint, keys } = made.toJSON();
  localStorage.setItem(account.device, endpoint!);
  await sayHowToWake(account, { endpoint: endpoint!, p256dh: keys!['p256dh']!, auth: keys!['auth']! });
  return 'on';
}

export async function wakeNoMore(account: Account): Promise<Standing> {
  await sayHowToWake(account, null);
  return 'off';
}

/** What rang is answered, or over. */
export async function quiet(): Promise<void> {
  const kept = 'serviceWorker' in navigator ? await navigator.serviceWorker.getRegistration('/pocket/') : undefined;
  for (const shown of (await kept?.getNotifications({ tag: 'ask' })) ?? []) shown.close();
}
