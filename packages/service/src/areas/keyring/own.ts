import { catalogue, type Answer, type Parsed } from '@nimble-latch/api';
import { OFFERED_METHODS, offeredSpec, offerOf, selfActionsFor, type Offer } from '@nimble-latch/core/methods';
import type { Id, Method, OwnPlace, SelfAction, WhyNotOffered } from '@nimble-latch/core/vocabulary';
import { select, selectOne, write, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idBytes, idText, idTextOrNull } from '../../platform/ids.js';
import { invitedBy, settleInvitation, useInvitation, type Invited } from '../invitations/by-invitation.js';
import { assertOffered, groupsOf } from '../methods/offer.js';
import { openFromPage, PAGE_SEAL_MS } from '../../platform/http/page-seals.js';
import { lockPerson } from '../people/lock-person.js';
import { heldForOthers } from '../passes/held-for-others.js';
import { makeTotp } from './begin-totp.js';
import type { Maker } from './enrolling.js';
import { codesOf, provePending } from './prove-totp.js';
import { setPassword } from './set-password.js';
import { authenticators } from './authenticator.model.js';
import { lockAuthenticator } from './store.js';

/** What people set up by themselves. */
const SELF_ENROLLED = OFFERED_METHODS.filter((method) => offeredSpec(method).bySelf);

/** Somebody acting for themselves by a right that they proved. */
export interface Own extends Maker {
  readonly personId: Id;
  readonly signInId: Id;
  /** Nothing was proved but a password, and nothing has been enrolled by this right. */
  readonly first: boolean;
  /** Nothing was proved beside a password but a pass or a recovery code. */
  readonly lastResort: boolean;
  /** It lets them look and no more. */
  readonly looks: boolean;
  /** By an invitation. */
  readonly invited?: Invited & { readonly id: Id; readonly leant: boolean };
}

/**
 * What a right is asked for. `look`: a session that is signed in will do; `act`: to have proved who they are, in the quarter of an hour
 * that the right is good for; `change`: to have done so, or enrolled something, within the last minutes, since a page that was left open
 * is no proof of who is at it.
 */
type Need = 'look' | 'act' | 'change';
const FRESH_MS = 5 * 60_000;

/**
 * Reads a right. Throws `request-gone` where it is for another place, has run out, was spent, its session ended, or where its sign-in was
 * found not to have been the person, who may have been deactivated since; `proof-old` where it was proved too long ago for what is wanted.
 */
export async function ownBy(
  deps: Deps,
  db: Db,
  right: string,
  place: OwnPlace,
  origin: string,
  need: Need = 'act',
): Promise<Own> {
  const {
    personId,
    signInId,
    place: forPlace,
    first,
    invited,
    looks = false,
    lastResort = false,
  } = await openFromPage(deps, 'right', right);
  const row = await selectOne<{ good: number; fresh: number }>(
    db,
    `SELECT state = 'active' AND emergency = 0
       AND NOT EXISTS (SELECT 1 FROM sign_in_judgements j WHERE j.sign_in_id = :signIn AND j.verdict = 'confirmed')
       AND NOT EXISTS (SELECT 1 FROM spent_requests s WHERE s.id = :signIn)
       AND (:looks = 0 OR EXISTS (SELECT 1 FROM browser_sessions b WHERE b.id = :signIn AND b.expires_at > UTC_TIMESTAMP(3))) AS good,
       EXISTS (SELECT 1 FROM sign_ins s WHERE s.id = :signIn AND s.ended_at > :fresh)
         OR EXISTS (SELECT 1 FROM authenticators a WHERE a.person_id = p.id AND a.enrolled_in = :signIn AND a.activated_at > :fresh) AS fresh
     FROM persons p WHERE id = :id`,
    {
      id: idBytes(personId),
      signIn: idBytes(signInId),
      looks: looks ? 1 : 0,
      fresh: new Date(deps.now().getTime() - FRESH_MS),
    },
  );
  if (forPlace !== place || Number(row?.good ?? 0) !== 1) throw new Refusal('request-gone');
  const by = invited && (await invitedBy(db, invited.id, signInId));
  // Withdrawn, used by somebody else who brought it, or run out: what leans on it has nothing to stand on.
  if (invited?.leant && !by) throw new Refusal('request-gone');
  if ((looks && need !== 'look') || (need === 'change' && Number(row!.fresh) !== 1)) throw new Refusal('proof-old');
  return {
    personId,
    signInId,
    origin,
    actor: { kind: 'page', personId },
    first: first && by?.used !== true,
    lastResort,
    looks,
    ...(invited && by ? { invited: { ...by, ...invited } } : {}),
  };
}

/** Asserts that a right does not lean on an invitation alone: that one is for something new, and shows and ends nothing that is there. */
export function assertNotLeant({ first, invited }: Own): void {
  if (first && invited?.leant) throw new Refusal('request-gone');
}

/**
 * Why somebody may not enrol a method by their right: it is for others to do; or they have proved nothing but a password, and the method
 * settings want more of whoever begins so, or the invitation that they lean on is for something else.
 */
function whyNotByRight(
  { first, invited }: Own,
  method: Method,
  offer: Offer,
  fromStock: boolean,
): WhyNotOffered | undefined {
  const guard = offer.decided?.cell.parameters?.first;
  const not: readonly SelfAction[] = offer.decided?.cell.parameters?.notBySelf ?? [];
  if (not.includes('enrol')) return 'not-by-oneself';
  if (!first) return undefined;
  if (guard === 'in-person') return 'in-person';
  if (guard === 'countersigned' && !invited?.countersigned) return 'countersigned';
  // A token that was given to them is theirs to prove.
  return invited?.leant && !fromStock && !invited.methods.includes(method) ? 'not-invited-to' : undefined;
}

/** Asserts that a method may be enrolled by this right. @throws `method-not-offered` */
export async function assertOwn(
  deps: Deps,
  db: Db,
  own: Own,
  method: Method,
  { fromStock = false }: { readonly fromStock?: boolean } = {},
): Promise<void> {
  const offer = await assertOffered(deps, db, own.personId, method);
  const why = whyNotByRight(own, method, offer, fromStock);
  if (why !== undefined)
    throw new Refusal('method-not-offered', {
      method,
      why,
      row: offer.decided === undefined ? 0 : offer.decided.row + 1,
    });
}

/** What was enrolled by this right: an invitation that asked for it has done its work. */
export async function enrolledBy(work: Work, own: Own, method: Method, id: Id): Promise<void> {
  await authenticators(work).update({ enrolledIn: own.signInId }, { where: { id }, transaction: work.transaction });
  if (own.invited && !own.invited.used) await useInvitation(work, own.invited.id, own, own.invited.leant);
  else await settleInvitation(work, own.personId, method, own);
}

/**
 * The application that brought somebody here, and the way back to it. The address may have been put there by anybody: it leads to an
 * origin that is registered for the application, or nowhere.
 */
async function cameFrom(
  deps: Deps,
  { application, back }: NonNullable<Parsed<'own.show', 'body'>['from']>,
): Promise<Answer<'own.show'>['from']> {
  const row = await selectOne<{ name: string; origins: string | null }>(
    deps,
    `SELECT name, (SELECT GROUP_CONCAT(origin SEPARATOR ' ') FROM application_origins o WHERE o.application_id = a.id) AS origins
     FROM applications a WHERE id = :application AND built_in = 0`,
    { application: idBytes(application) },
  );
  if (!row) return null;
  const url = back !== undefined && URL.canParse(back) ? new URL(back) : undefined;
  const registered = url !== undefined && (row.origins ?? '').split(' ').includes(url.origin);
  return { application: row.name, back: registered ? url.href : null };
}

export const ownShow: Handler<'own.show'> = async (deps, call) => {
  const own = await ownBy(deps, deps, call.body.right, 'enrolment', call.origin, 'look');
  const { personId, signInId } = own;
  const [{ settings }, methods, groups, person, held, tokens] = await Promise.all([
    deps.settings.current(),
    deps.methods.current(),
    groupsOf(deps, personId),
    selectOne<{ display_name: string; ended_at: Date | null }>(
      deps,
      'SELECT display_name, (SELECT ended_at FROM sign_ins s WHERE s.id = :signIn) AS ended_at FROM persons WHERE id = :id',
      { id: idBytes(personId), signIn: idBytes(signInId) },
    ),
    select<{
      id: Buffer;
      method: Method;
      label: string;
      carrier: Id | null;
      created_at: Date;
      carrier_id: Buffer | null;
      last_used_at: Date | null;
      pin: 'none' | 'own' | 'given';
      codes_left: number | null;
      preferred: number;
      state: string;
    }>(
      deps,
      `SELECT a.id, IF(a.pin_sealed IS NULL, 'none', IF(a.pin_given, 'given', 'own')) AS pin, a.method, a.label, c.label AS carrier, a.carrier_id, a.last_used_at, a.preferred, a.state,
       IF(a.method <> 'recovery', NULL, (SELECT COUNT(*) FROM recovery_codes r WHERE r.authenticator_id = a.id AND r.used_at IS NULL)) AS codes_left, a.created_at FROM authenticators a LEFT JOIN carriers c ON c.id = a.carrier_id
       WHERE a.person_id = :id AND a.state IN ('active', 'suspended') ORDER BY a.id`,
      { id: idBytes(personId) },
    ),
    select<{ id: Buffer; serial: string; model: string }>(
      deps,
      "SELECT id, serial, model FROM tokens WHERE person_id = :id AND state IN ('assigned', 'sent') ORDER BY id",
      { id: idBytes(personId) },
    ),
  ]);
  return {
    answer: {
      organisation: settings.organisation,
      displayName: person!.display_name,
      from: call.body.from ? await cameFrom(deps, call.body.from) : null,
      invited: own.invited?.used === false,
      until: new Date((person!.ended_at ?? deps.now()).getTime() + PAGE_SEAL_MS).toISOString(),
      looksOnly: own.looks,
      held: held.map((one) => ({
        id: idText(one.id),
        pin: one.pin,
        left: one.codes_left === null ? null : Number(one.codes_left),
        method: one.method,
        label: one.label,
        carrier: one.carrier,
        since: one.created_at.toISOString(),
        carrierId: idTextOrNull(one.carrier_id),
        lastUsedAt: one.last_used_at?.toISOString() ?? null,
        preferred: one.preferred === 1,
        suspended: one.state === 'suspended',
        may: [...selfActionsFor(methods.settings, one.method, groups ?? new Set())],
      })),
      holds: own.first ? [] : await heldForOthers(deps, personId),
      tokens: tokens.map(({ id, serial, model }) => ({ id: idText(id), serial, model })),
      offers: SELF_ENROLLED.map((method) => {
        const offer = offerOf(methods.settings, method, groups ?? new Set());
        const why = offer.why ?? whyNotByRight(own, method, offer, false) ?? null;
        return { method, enrol: why === null, why };
      }),
    },
  };
};

export const ownBeginTotp: Handler<'own.beginTotp'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const wanted = {
      label: 'Authenticator app',
      carrier: { kind: 'phone' as const, label: call.body.carrier, serial: null },
    };
    return {
      answer: await makeTotp(
        deps,
        work,
        own,
        own.personId,
        wanted,
        async () => await assertOwn(deps, work, own, 'totp'),
      ),
    };
  });

export const ownProveTotp: Handler<'own.proveTotp'> = async (deps, call) => {
  const codes = codesOf(call.body.codes);
  let refusal: Refusal | undefined;
  const reply = await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin);
    const row = await lockAuthenticator(work, call.params.id);
    if (!row.person_id.equals(idBytes(own.personId))) throw new Refusal('not-found');
    await assertOwn(deps, work, own, 'totp');
    refusal = await provePending(deps, work, own, row, codes);
    if (!refusal) await enrolledBy(work, own, 'totp', call.params.id);
    return { answer: { label: row.label } };
  });
  if (refusal) throw refusal;
  return reply;
};

export const ownSetPassword: Handler<'own.setPassword'> = async (deps, call) => {
  const { personId } = await ownBy(deps, deps, call.body.right, 'password-reset', call.origin);
  const names = await select<{ value: string }>(deps, 'SELECT value FROM login_names WHERE person_id = :id', {
    id: idBytes(personId),
  });
  const { cell } = (await assertOffered(deps, deps, personId, 'password')).decided!;
  const loginNames = names.map(({ value }) => value);
  const phc = await setPassword.prepare(deps, call.body.next, loginNames, cell.parameters?.leastLength);
  return await call.run(async (work) => {
    await lockPerson(work, personId);
    const own = await ownBy(deps, work, call.body.right, 'password-reset', call.origin);
    // Once: two at the same moment meet at this row.
    const first = await write(work, 'INSERT IGNORE INTO spent_requests (id, expires_at) VALUES (:id, :at)', {
      id: idBytes(own.signInId),
      at: new Date(work.now.getTime() + 2 * PAGE_SEAL_MS),
    });
    if (first !== 1) throw new Refusal('request-gone');
    const { id } = await setPassword.store(deps, work, personId, phc, catalogue('en').methods.password);
    await work.trail(
      entryOf(own, 'password.set', { kind: 'authenticator', id }, { person: personId, details: { reset: true } }),
    );
    return { answer: null };
  });
};
