import type { Answer, Parsed } from '@nimble-latch/api';
import { catalogue, LIMITS } from '@nimble-latch/api';
import { drawLookUpSecret, groupedLookUpSecret, spelledLookUpSecret } from '@nimble-latch/core/look-up-secrets';
import { beyondBounds, passBoundsOf, purposesOfPass, type PassBounds } from '@nimble-latch/core/passes';
import type { Id, PassPurpose } from '@nimble-latch/core/vocabulary';
import { readConcerned } from '../access/concerned.js';
import { countersignedForKeyring } from '../access/countersign.js';
import { authenticatorApplications } from '../keyring/authenticator-application.model.js';
import { authenticators } from '../keyring/authenticator.model.js';
import { lockEnrolling } from '../keyring/enrolling.js';
import { assertOffered } from '../methods/offer.js';
import { readSettings } from '../insight/settings-cache.js';
import { refreshKeyring } from '../people/facets.js';
import { readLoginName } from '../people/login-names.js';
import { noticeOfManyPasses, noticeTo } from '../notices/notices.js';
import { selectToHold } from '../../platform/db/claims.js';
import { select, selectOne, type Db } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { badField, PermissionRefusal, Refusal } from '../../platform/errors.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import type { Call, Handler } from '../../platform/http/call.js';
import { ENROLMENT_APPLICATION, idBytes, idText, newId } from '../../platform/ids.js';
import { passIdentity } from './identity.js';
import { passes } from './pass.model.js';
import { givenBy, readPass } from './store.js';

/** A pass for a day's work, unless somebody says otherwise or may give less. */
const HOURS_UNLESS_SAID = 12;
const USES_UNLESS_SAID = 5;
const HOUR_MS = 3_600_000;

/**
 * How far somebody may go by their roles. Throws where none of those has bounds.
 *
 * @param person for whom: a role that is limited to groups counts for the people in them alone
 */
export async function boundsFor(db: Db, actor: OperatorActor, person?: Id): Promise<PassBounds> {
  const { settings } = await readSettings(db);
  const theirs = person === undefined ? undefined : (await readConcerned(db, idBytes(person)))?.groups;
  const reaching = actor.grants.filter(
    ({ groups }) => groups === null || theirs === undefined || groups.some((group) => theirs.includes(group)),
  );
  const bounds = passBoundsOf(
    settings.passes,
    reaching.map(({ role }) => role),
  );
  if (!bounds) throw new PermissionRefusal(actor, 'pass.give', 'not-permitted');
  return bounds;
}

type Wanted = Parsed<'passes.give', 'body'>;

/** When the pass is to begin and end, and how often it may be used. Throws where that cannot be, or is beyond the bounds. */
function asked(
  { from, hours, until, uses }: Pick<Wanted, 'from' | 'hours' | 'until' | 'uses'>,
  bounds: PassBounds,
  now: Date,
) {
  const fromMs = Math.max(from === undefined ? 0 : Date.parse(from), now.getTime());
  if (hours !== undefined && until !== undefined) throw badField('body.until', 'pass-end-twice');
  const lives = hours ?? Math.min(HOURS_UNLESS_SAID, bounds.hours);
  const untilMs = until === undefined ? fromMs + lives * HOUR_MS : Date.parse(until);
  if (fromMs > now.getTime() + LIMITS.passDaysAhead * 24 * HOUR_MS)
    throw badField('body.from', 'pass-far', { most: LIMITS.passDaysAhead });
  if (untilMs <= fromMs) throw badField('body.until', 'pass-over');
  return { fromMs, untilMs, uses: uses ?? Math.min(USES_UNLESS_SAID, bounds.uses) };
}

interface Giving {
  readonly purpose: PassPurpose;
  readonly untilFactor: boolean;
  /** Who else holds it. */
  readonly holder?: { readonly id: Id; readonly displayName: string };
}

interface Given {
  readonly id: Id;
  /** Letters of the secret, without groups. */
  readonly secret: string;
}

/** Gives a pass: drawn, and hashed. Throws where it may not be given, or not so. */
async function give(
  deps: Deps,
  work: Work,
  call: Pick<Call<'passes.give'>, 'actor' | 'origin' | 'params'> & {
    readonly body: Omit<Wanted, 'purpose' | 'untilFactor'>;
  },
  { purpose, untilFactor, holder }: Giving,
): Promise<Given> {
  const { id: person } = call.params;
  const { applications, reason } = call.body;
  const giver = call.actor.personId;
  // Two at the same moment would each find room for one; what is held is the giver's alone.
  await selectToHold(work, 'role_grants WHERE person_id = :id', 'SELECT role FROM role_grants WHERE person_id = :id', {
    id: idBytes(giver),
  });
  const bounds = await boundsFor(work, call.actor, person);
  const wanted = asked(call.body, bounds, work.now);
  const given = await givenBy(work, giver);
  const beyond = beyondBounds(bounds, wanted, given);
  if (beyond === 'hours')
    throw badField(call.body.until ? 'body.until' : 'body.hours', 'pass-hours', { most: bounds.hours });
  if (beyond === 'uses') throw badField('body.uses', 'pass-uses', { most: bounds.uses });
  if (beyond === 'open') throw new Refusal('passes-open', { most: bounds.open });
  if (beyond === 'perDay') throw new Refusal('passes-today', { most: bounds.perDay });
  const { displayName } = await lockEnrolling(work, person);
  const offer = await assertOffered(deps, work, person, 'pass');
  const barred = purposesOfPass(purpose).find((one) => !offer.purposes.includes(one));
  if (barred) throw badField('body.purpose', 'pass-purpose', { purpose: barred });
  if (purpose === 'enrol' && applications) throw badField('body.applications', 'pass-places');
  // Where one enrols is a place like any other; a pass that is for both is good for it too.
  const enrols = purpose === 'both' && applications ? [ENROLMENT_APPLICATION] : [];
  const places = [...new Set([...(applications ?? []), ...enrols])].sort();
  await assertThere(work, places);
  const [validFrom, validUntil] = [new Date(wanted.fromMs), new Date(wanted.untilMs)];
  const shown = { from: minute(validFrom), until: minute(validUntil) };
  await countersignedForKeyring(
    deps,
    work,
    call,
    person,
    {
      pass: purpose,
      from: call.body.from ?? null,
      until: call.body.until ?? null,
      hours: call.body.hours ?? null,
      uses: wanted.uses,
      places,
      untilFactor,
      reason,
      ...(holder ? { holder: holder.id } : {}),
    },
    (name) =>
      holder
        ? { what: 'pass-delegated', facts: { name, holder: holder.displayName, ...shown } }
        : { what: 'pass-given', facts: { name, purpose: catalogue('en').passPurposes[purpose], ...shown } },
  );
  const id = newId(deps);
  const secret = drawLookUpSecret(deps.random);
  const { hash, keyId } = deps.keys.current.hash(passIdentity(id), secret);
  const { transaction } = work;
  await authenticators(work).create(
    {
      id,
      personId: person,
      method: 'pass',
      state: 'active',
      label: catalogue('en').methods.pass,
      parameters: '{}',
      restricted: places.length > 0,
      validFrom,
      validUntil,
      createdAt: work.now,
      activatedAt: work.now,
    },
    { transaction },
  );
  await passes(work).create(
    {
      authenticatorId: id,
      purpose,
      usesMost: wanted.uses,
      untilFactor,
      hash,
      hashKeyId: keyId,
      reason,
      givenBy: giver,
      givenAt: work.now,
      heldBy: holder?.id ?? null,
    },
    { transaction },
  );
  if (places.length > 0)
    await authenticatorApplications(work).bulkCreate(
      places.map((applicationId) => ({ authenticatorId: id, applicationId })),
      { transaction },
    );
  await refreshKeyring(work, person);
  await work.trail(
    entryOf(
      call,
      'pass.given',
      { kind: 'authenticator', id },
      {
        person,
        reason,
        details: {
          purpose,
          from: validFrom.toISOString(),
          until: validUntil.toISOString(),
          uses: wanted.uses,
          ...(places.length > 0 ? { applications: places } : {}),
          ...(holder ? { heldBy: holder.id } : {}),
        },
      },
    ),
  );
  await noticeTo(deps, work, person, holder ? 'pass.delegated' : 'pass.given', {
    about: id,
    label: holder?.displayName ?? '',
  });
  if (given.today + 1 === bounds.perDay)
    await noticeOfManyPasses(deps, work, {
      giver: call.actor.displayName,
      given: given.today + 1,
      name: displayName,
    });
  return { id, secret };
}

/** Gives somebody a pass, shown this once. */
export const givePass: Handler<'passes.give'> = async (deps, call) =>
  await call.run(async (work) => {
    const { purpose, untilFactor } = call.body;
    const { id, secret } = await give(deps, work, call, { purpose, untilFactor });
    const answer: Answer<'passes.give'> = {
      pass: await readPass(work, id, work.now),
      code: groupedLookUpSecret(secret),
      spelled: [...spelledLookUpSecret(secret)],
    };
    return { answer };
  });

/**
 * Gives somebody a pass for somebody else: to sign in at applications in their name, and for nothing besides. What was drawn for it is
 * shown to nobody; its holder is shown a code of their own when they have proved who they are.
 */
export const delegatePass: Handler<'passes.delegate'> = async (deps, call) =>
  await call.run(async (work) => {
    const holder = await holderNamed(work, call.body.holder);
    // Whoever gives it would be anybody they like, with nobody else knowing of it before.
    if (holder.id === call.actor.personId || holder.id === call.params.id) throw badField('body.holder', 'pass-holder');
    // Their own factors stay in use beside it: that they are says nothing of whether it has done its work.
    const { id } = await give(deps, work, call, { purpose: 'sign-in', untilFactor: false, holder });
    return { answer: { pass: await readPass(work, id, work.now) } };
  });

async function holderNamed(work: Work, typed: string): Promise<NonNullable<Giving['holder']>> {
  const { value } = readLoginName(typed, 'body.holder');
  const row = await selectOne<{ id: Buffer; display_name: string }>(
    work,
    `SELECT p.id, p.display_name FROM login_names n JOIN persons p ON p.id = n.person_id
     WHERE n.value = :value AND p.state = 'active' AND p.emergency = 0`,
    { value },
  );
  if (!row) throw badField('body.holder', 'nobody-here');
  return { id: idText(row.id), displayName: row.display_name };
}

const minute = (at: Date): string => at.toISOString().slice(0, 16).replace('T', ' ');

async function assertThere(work: Work, places: readonly Id[]): Promise<void> {
  if (places.length === 0) return;
  const found = await select(work, 'SELECT id FROM applications WHERE id IN (:ids)', { ids: places.map(idBytes) });
  if (found.length < places.length) throw badField('body.applications', 'not-an-application');
}
