import type { Id } from '@nimble-latch/core/vocabulary';
import { DEMO_PASSWORD } from './world.js';
import type { CallOf } from './keys.js';

const HOUR = 3_600_000;

/**
 * Temporary passes as a help desk gives them: one in use, one that waits for tomorrow's new laptop, one that nobody needed in the end,
 * one that is over, and one by which a colleague sets a laptop up in somebody's name.
 *
 * @param deskToken of whoever gives them
 * @param plannerKey with which the one in use is used
 * @returns how many
 */
export async function loadPasses(
  call: CallOf,
  clock: { at: number },
  today: number,
  { deskToken, plannerKey }: { readonly deskToken: string; readonly plannerKey: string },
  idOf: (name: string) => Promise<Id | undefined>,
): Promise<number> {
  let given = 0;
  const give = async (
    name: string,
    at: number,
    body: { reason: string; hours: number; uses?: number; from?: string },
  ) => {
    clock.at = at;
    const id = await idOf(name);
    if (!id) return undefined;
    given += 1;
    return await call('passes.give', { params: { id }, body: { purpose: 'sign-in', ...body }, token: deskToken });
  };
  await give('Hedda Lund', today - 26 * HOUR, { reason: 'Phone left at home', hours: 9 });
  const used = await give('Sunniva Aske', today - 3 * HOUR, { reason: 'Phone left at home', hours: 10, uses: 6 });
  if (used) await useIt('sunniva.aske', used.code);
  const spare = await give('Dagny Holm', today - 2 * HOUR, { reason: 'Token broken', hours: 8, uses: 3 });
  if (spare) await call('passes.withdraw', { params: { id: spare.pass.id }, token: deskToken });
  const morning = new Date(today + 24 * HOUR);
  morning.setUTCHours(8, 0, 0, 0);
  await give('Bram Oster', today - HOUR, { reason: 'New laptop, to be set up', from: morning.toISOString(), hours: 9 });
  clock.at = today - 0.5 * HOUR;
  const away = await idOf('Hedda Lund');
  if (away) {
    const body = { holder: 'dagny.holm', reason: 'New laptop, set up for her', hours: 8, uses: 3 };
    await call('passes.delegate', { params: { id: away }, body, token: deskToken });
    given += 1;
  }
  return given;

  /** Signs in with it at the Berth Planner, password first. */
  async function useIt(loginName: string, code: string): Promise<void> {
    clock.at = today - 2.5 * HOUR;
    const { id } = await call('signIns.begin', {
      token: plannerKey,
      body: { loginName, claims: { sourceAddress: '198.51.100.34' } },
    });
    for (const [kind, value] of [
      ['password', DEMO_PASSWORD],
      ['code', code],
    ] as const)
      await call('signIns.prove', { token: plannerKey, params: { id }, body: { kind, value } });
  }
}
