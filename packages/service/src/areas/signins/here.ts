import { asksPhones } from '@nimble-latch/core/methods';
import type { Deps } from '../../platform/deps.js';
import type { SetCookie } from '../../platform/http/call.js';

/** The sign-ins that this browser has begun lately at our pages: an approval that comes from it is none from another device. */
const HERE_COOKIE = '__Host-nlatch-here';
/** Longer than any sign-in lasts. */
const HERE_MS = 15 * 60_000;
/** Somebody begins anew, in other tabs too. */
const HERE_MOST = 8;

type Cookies = Readonly<Record<string, string | undefined>>;

const ID = /^[\da-f]{8}(-[\da-f]{4}){3}-[\da-f]{12}$/;
/** What is no id of ours was put there by somebody else, and is not kept. */
const begunHere = (cookies: Cookies): readonly string[] =>
  (cookies[HERE_COOKIE] ?? '').split('.').filter((one) => ID.test(one));

/** Whether a sign-in was begun in the browser that calls, as far as it can be told: a browser says so itself, to its own pages alone. */
export const isBegunHere = (cookies: Cookies, signIn: string): boolean => begunHere(cookies).includes(signIn);

/** Lets a browser remember that it has begun a sign-in; where nobody's phone can be asked, it keeps nothing. */
export async function beginsHere(
  { methods, now }: Pick<Deps, 'methods' | 'now'>,
  cookies: Cookies,
  signIn: string,
): Promise<readonly SetCookie[]> {
  if (!asksPhones((await methods.current()).settings)) return [];
  const token = [signIn, ...begunHere(cookies).slice(0, HERE_MOST - 1)].join('.');
  return [{ name: HERE_COOKIE, token, expiresAt: new Date(now().getTime() + HERE_MS) }];
}
