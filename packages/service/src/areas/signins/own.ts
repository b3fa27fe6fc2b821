import type { Answer } from '@nimble-latch/api';
import { specOf } from '@nimble-latch/core/methods';
import type { Id, OwnPlace, PromptKind } from '@nimble-latch/core/vocabulary';
import { readConcerned } from '../access/concerned.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, Refusal } from '../../platform/errors.js';
import type { Call, Handler } from '../../platform/http/call.js';
import { ENROLMENT_APPLICATION, idBytes, RESET_APPLICATION } from '../../platform/ids.js';
import { sealForPage, type SealedRight } from '../../platform/http/page-seals.js';
import { selectOne, write } from '../../platform/db/sql.js';
import { isOpened, noted } from '../invitations/by-invitation.js';
import { openInvitation, type Brought } from '../invitations/links.js';
import { entryOf } from '../../platform/http/actors.js';
import { ownParty, takesKeys } from '../keyring/relying-party.js';
import { pagePromptKinds } from '../rulebook/prompt-kinds.js';
import { changeLocked } from '../keyring/change-authenticator.js';
import { assertNotLeant, ownBy } from '../keyring/own.js';
import { lockOwn } from '../keyring/own-devices.js';
import { lockPerson } from '../people/lock-person.js';
import { lostWithout } from './meets.js';
import { labelOf } from '../browsers/browsers.js';
import { locate } from '../networks/table.js';
import { latestOf } from './activity.js';
import { prepareSignIn } from './begin.js';
import { handleOf, isHandle } from './handle.js';
import { beginsHere } from './here.js';
import {
  assertKeyRight,
  assertMayTry,
  beginWith,
  offerKeys,
  paidBySource,
  whoBegins,
  type Beginning,
} from './nameless.js';
import { prove } from './proofs/index.js';
import { shownAtPage } from './key-prompt.js';
import { takeStepBehindLocks } from './steps.js';
import type { StoredSignIn } from './store.js';

const APPLICATIONS: Readonly<Record<OwnPlace, Id>> = {
  enrolment: ENROLMENT_APPLICATION,
  'password-reset': RESET_APPLICATION,
};
/** Not asked of whoever forgot their password: for it, or for something else anew. */
const CHANGING: ReadonlySet<PromptKind> = new Set(['password', 'new-password', 'new-pin']);
const placeOf = (applicationId: Id): OwnPlace | undefined =>
  (Object.keys(APPLICATIONS) as OwnPlace[]).find((place) => APPLICATIONS[place] === applicationId);

/** Whose invitation was brought. Guesses are paid for by their source, and all that are of no use are told the same. */
async function invitationOf(
  deps: Deps,
  { body, origin }: Pick<Call<'own.begin'>, 'body' | 'origin'>,
): Promise<(Beginning & Brought) | undefined> {
  const { invitation, loginName, byKey, place } = body;
  if (invitation === undefined) return undefined;
  if (loginName !== undefined || byKey !== undefined || place !== 'enrolment') throw badField('body', 'name-or-key');
  await assertMayTry(deps, origin);
  const brought = await openInvitation(deps, deps, invitation);
  if (brought) return brought;
  await paidBySource(deps, origin);
  throw new Refusal('invitation-gone');
}

/** What is opened is noted, and told, the first time; letters are opened by people, since scanners only get the page. */
async function noteOpened(work: Work, call: Call<'own.begin'>, { id, personId }: Brought): Promise<void> {
  if (await isOpened(work, id)) return;
  const { sql, values } = noted('opened', id, work.now);
  await write(work, sql, values);
  await work.trail(
    entryOf(
      call,
      'invitation.opened',
      { kind: 'person', id: personId },
      { person: personId, details: { invitation: id } },
    ),
  );
}

/** The places where people help themselves are applications like any other, reached by the same engine. */
export const ownBegin: Handler<'own.begin'> = async (deps, call) => {
  const { place } = call.body;
  const applicationId = APPLICATIONS[place];
  const brought = await invitationOf(deps, call);
  const who = brought ?? (await whoBegins(deps, place, call.origin, applicationId, call.body));
  const stored = await prepareSignIn(
    deps,
    { applicationId, connectionId: null, walkedBy: null, granted: ['source-address', 'browser'] },
    {
      loginName: who.loginName,
      ...(brought ? { invited: brought.id } : {}),
      // Where somebody forgot their password, nobody is asked to change it on the way.
      promptKinds: pagePromptKinds(await takesKeys(deps)).filter(
        (kind) => place === 'enrolment' || !CHANGING.has(kind),
      ),
      claims: { sourceAddress: call.origin, ...(call.browser ? { browser: call.browser } : {}) },
    },
  );
  let begun = stored;
  const given = new GivenRight();
  const here = await beginsHere(deps, call.cookies, stored.id);
  const reply = await call.run(async (work) => {
    if (brought) await noteOpened(work, call, brought);
    begun = await beginWith(deps, work, call, stored, who, 'ours');
    const answer = await given.bring(deps, work, begun);
    return {
      answer: { ...answer, handle: handleOf(deps, stored.id) },
      cookies: here,
    };
  });
  assertKeyRight(deps, begun, who);
  given.assertTheirs();
  return reply;
};

export const ownProve: Handler<'own.prove'> = async (deps, call) => {
  if (!isHandle(deps, call.params.id, call.body.handle)) throw new Refusal('not-found');
  const given = new GivenRight();
  const step = await prove({
    deps,
    driver: call,
    id: call.params.id,
    mine: ({ applicationId, walkedBy }) => walkedBy === null && placeOf(applicationId) !== undefined,
    proof: call.body,
    connected: call.connected,
    at: 'ours',
  });
  const reply = await takeStepBehindLocks(call, step, async (stored, work) => ({
    answer: await given.bring(deps, work, stored),
  }));
  given.assertTheirs();
  return reply;
};

/** What a step brings: the right, once let in. Emergency accounts are told only after everything was proved and recorded. */
class GivenRight {
  #kept = false;

  async bring(deps: Deps, work: Work, stored: StoredSignIn): Promise<Answer<'own.prove'>> {
    // The step may run again.
    this.#kept = false;
    const signIn = await shownAtPage(deps, work.reading, stored);
    if (stored.signIn.state !== 'let-in') return { signIn, right: null };
    const personId = stored.personId!;
    // Emergency accounts are the owners' to change, and nobody else's; not their own holders' either.
    this.#kept = (await readConcerned(work, idBytes(personId)))?.emergency === true;
    const { proofs, requirement } = stored.signIn;
    const right: SealedRight = {
      personId,
      signInId: stored.id,
      place: placeOf(stored.applicationId)!,
      first: proofs.every(({ method }) => method === 'password'),
      ...(proofs.every(({ method }) => method === 'password' || specOf(method).lastResort) ? { lastResort: true } : {}),
      ...(requirement.invited ? { invited: requirement.invited as NonNullable<SealedRight['invited']> } : {}),
    };
    if (right.invited && !this.#kept) {
      work.atEnd(noted('begun', right.invited.id, work.now));
      await work.trail({
        actor: { kind: 'person', id: personId },
        action: 'invitation.begun',
        target: { kind: 'person', id: personId },
        person: personId,
        origin: stored.sourceAddress,
        reason: null,
        details: { invitation: right.invited.id },
      });
    }
    return { signIn, right: this.#kept ? null : sealForPage(deps, 'right', right) };
  }

  assertTheirs(): void {
    if (this.#kept) throw new Refusal('owners-only');
  }
}

/** What any key may be asked at a place of our own, before anybody has said who they are. */
export const offerPlace: Handler<'passkeys.offer'> = async (deps, call) => ({
  answer: offerKeys(deps, (await takesKeys(deps)) ? await ownParty(deps) : undefined, call.body.place),
});

/** As many as somebody looks over at a glance. */
const LATEST = 10;

/** Somebody's own latest sign-ins: what they would not know of is what they should hear of. */
export const ownSignIns: Handler<'own.signIns'> = async (deps, call) => {
  const own = await ownBy(deps, deps, call.body.right, 'enrolment', call.origin, 'look');
  assertNotLeant(own);
  const { personId } = own;
  const rows = await latestOf(deps, personId, LATEST);
  return {
    answer: {
      rows: await Promise.all(
        rows.map(async ({ at, application, state, way, sourceAddress, browser, delegate }) => {
          const [network] = await locate(deps, sourceAddress);
          return {
            at,
            application: application.name,
            state,
            way,
            from: sourceAddress,
            network: network?.name ?? null,
            city: network?.city ?? null,
            country: network?.country ?? null,
            by: delegate ? (delegate.displayName ?? '') : null,
            browser: labelOf(browser),
          };
        }),
      ),
    },
  };
};

/**
 * Somebody takes something off their own keyring. Whoever came by a pass or a recovery code reports a loss instead, which can be undone;
 * and nobody takes away what they could not get in without, before something else is in its place.
 */
export const ownRemove: Handler<'own.remove'> = async (deps, call) =>
  await call.run(async (work) => {
    const own = await ownBy(deps, work, call.body.right, 'enrolment', call.origin, 'change');
    if (own.first || own.lastResort) throw new Refusal('proof-weak');
    const { id } = call.params;
    const { personId } = own;
    // Two at once would each leave the other's.
    await lockPerson(work, personId);
    const row = await lockOwn(deps, work, own, id, 'remove');
    if (row.state !== 'active' && row.state !== 'suspended') throw new Refusal('wrong-state', { state: row.state });
    if (row.state === 'active') {
      const lost = await lostWithout(deps, work, personId, id);
      if (lost.length > 0) throw new Refusal('last-way', { label: row.label, places: lost.join(', ') });
    }
    await changeLocked(deps, work, own, 'authenticators.revoke', row);
    const left = await selectOne<{ n: number }>(
      work,
      "SELECT COUNT(*) AS n FROM authenticators WHERE person_id = :person AND state = 'active'",
      { person: idBytes(personId) },
    );
    return { answer: { left: Number(left!.n) } };
  });
