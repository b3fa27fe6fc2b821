import type { Account } from './protocol.js';

/** Accounts of this phone, in the browser's own database: keys are kept as keys, which no script can read. */
const STORE = 'accounts';

const opened = (): Promise<IDBDatabase> =>
  new Promise((resolve, reject) => {
    const asked = indexedDB.open('pocket', 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore(STORE, { keyPath: 'device' });
    asked.onsuccess = () => resolve(asked.result);
    asked.onerror = () => reject(asked.error ?? new Error('indexedDB'));
  });

async function within<T>(mode: IDBTransactionMode, what: (store: IDBObjectStore) => IDBRequest<T>): Promise<T> {
  const database = await opened();
  try {
    return await new Promise((resolve, reject) => {
      const transaction = database.transaction(STORE, mode);
      const asked = what(transaction.objectStore(STORE));
      transaction.oncomplete = () => resolve(asked.result);
      transaction.onerror = () => reject(transaction.error ?? new Error('indexedDB'));
      transaction.onabort = transaction.onerror;
    });
  } finally {
    database.close();
  }
}

export const readAccounts = async (): Promise<Account[]> =>
  await within('readonly', (store) => store.getAll() as IDBRequest<Account[]>);
export const keepAccount = async (account: Account): Promise<unknown> =>
  await within('readwrite', (store) => store.put(account));
export const dropAccount = async ({ device }: Account): Promise<unknown> =>
  await within('readwrite', (store) => store.delete(device));
