import { selfActionsFor, takesPin } from '@nimble-latch/core/methods';
import type { Id, Method, SelfAction } from '@nimble-latch/core/vocabulary';
import { selectOne } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { noticeTo } from '../notices/notices.js';
import { notFound, Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes } from '../../platform/ids.js';
import { codeRulesOf, groupsOf } from '../methods/offer.js';
import { proveTokenOf } from '../stock/prove.js';
import type { AuthenticatorRow } from './authenticator-row.js';
import { assertNotLeant, assertOwn, enrolledBy, ownBy, type Own } from './own.js';
import { lockCarrier, setAside } from './carriers.js';
import { assertTakesPin, preparePin, storePin } from './pins.js';
import { codesOf } from './prove-totp.js';
import { resyncLocked } from './resync.js';
import { lockAuthenticator } from './store.js';

/** A hardware token that was given to somebody shows its first code. */
export const ownProveToken: Handler<'own.proveToken'> = async (deps, call) => {
  const codes = codesOf(call.body.codes);
  let refusal: Refusal | undefined;
  const reply = await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const proved = await proveTokenOf(deps, work, own, own.personId, call.params.id, codes);
    if (typeof proved !== 'string') {
      refusal = proved;
      return { answer: { label: '' } };
    }
    const { label, method } = await lockAuthenticator(work, proved);
    await assertOwn(deps, work, own, method, { fromStock: true });
    await enrolledBy(work, own, method, proved);
    return { answer: { label } };
  });
  if (refusal) throw refusal;
  return reply;
};

/**
 * An authenticator that is somebody's own, its row locked, with which they may do this by themselves.
 * @throws `not-found` for anybody else's, `not-by-oneself`
 */
export async function lockOwn(deps: Deps, work: Work, own: Own, id: Id, action: SelfAction): Promise<AuthenticatorRow> {
  const row = await lockAuthenticator(work, id);
  if (!row.person_id.equals(idBytes(own.personId))) throw notFound();
  const { settings } = await deps.methods.current();
  const groups = (await groupsOf(work, own.personId)) ?? new Set();
  if (!selfActionsFor(settings, row.method, groups).includes(action)) throw new Refusal('not-by-oneself');
  return row;
}

/** Whoever leans on an invitation comes to something new, and to nothing that is there already. */
function assertMoreThanPassword({ first, invited }: Own, method: Method): void {
  if (first && invited?.leant) throw new Refusal('method-not-offered', { method, why: 'not-invited-to', row: 0 });
}

export const ownResync: Handler<'own.resync'> = async (deps, call) => {
  const codes = codesOf(call.body.codes) as [string, string];
  let refusal: Refusal | undefined;
  const reply = await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const row = await lockOwn(deps, work, own, call.params.id, 'resync');
    assertMoreThanPassword(own, row.method);
    refusal = await resyncLocked(deps, work, own, row, codes);
    if (!refusal)
      await noticeTo(deps, work, own.personId, 'authenticator.resynchronised', {
        about: call.params.id,
        label: row.label,
      });
    return { answer: { label: row.label } };
  });
  if (refusal) throw refusal;
  return reply;
};

export const ownSetPin: Handler<'own.setPin'> = async (deps, call) => {
  const { id } = call.params;
  const { personId } = await ownBy(deps, deps, call.body.right, 'enrolment', call.origin, 'change');
  const before = await selectOne<{ id: Buffer; method: Method; pin_sealed: Buffer | null }>(
    deps,
    "SELECT id, method, pin_sealed FROM authenticators WHERE id = :id AND person_id = :person AND state = 'active'",
    { id: idBytes(id), person: idBytes(personId) },
  );
  if (!before) throw notFound();
  if (!takesPin(before.method)) throw new Refusal('wrong-state', { state: 'active' });
  const { leastPin } = await codeRulesOf(deps, deps, personId, before.method);
  const phc = await preparePin(deps, call.body.pin, leastPin, before);
  return await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin, 'change');
    const row = await lockOwn(deps, work, own, id, 'pin');
    assertMoreThanPassword(own, row.method);
    assertTakesPin(row);
    await storePin(deps, work, id, phc, false);
    await work.trail(entryOf(own, 'pin.set', { kind: 'authenticator', id }, { person: personId }));
    await noticeTo(deps, work, personId, 'pin.changed', { about: id, label: row.label });
    return { answer: { label: row.label } };
  });
};

/** Somebody lost a device and is at another: what is on it is set aside at once, and they say once more who they are for what comes next. */
export const ownReportLost: Handler<'own.reportLost'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    assertNotLeant(own);
    const row = await lockCarrier(work, call.params.id);
    if (!row.person_id.equals(idBytes(own.personId))) throw notFound();
    if (row.state !== 'in-hand') throw new Refusal('wrong-state', { state: row.state });
    const { suspended, left } = await setAside(deps, work, own, row);
    return { answer: { suspended: [...suspended], left } };
  });
