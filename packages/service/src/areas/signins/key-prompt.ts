import type { Id } from '@nimble-latch/core/vocabulary';
import type { Answer, Parsed } from '@nimble-latch/api';
import { verificationFor } from '@nimble-latch/core/signin';
import { hintsFor } from '@nimble-latch/core/webauthn';
import { select, type Db } from '../../platform/db/sql.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes } from '../../platform/ids.js';
import { CEREMONY_MS, challengeFor, ownParty, partyAt, type RelyingParty } from '../keyring/relying-party.js';
import { countsNow } from '../keyring/usable.js';
import { descriptorOf } from '../keyring/webauthn.js';
import { anybodysKeysVerify, keyRulesOf } from '../methods/offer.js';
import { viewOf, type StoredSignIn } from './store.js';

export type Credential = NonNullable<Parsed<'console.prove', 'body'>['credential']>;

/** What the ceremony is: the next proof of this one sign-in, anew after each that was wrong. */
export const ceremonyOf = ({ id, signIn }: StoredSignIn): string =>
  `sign-in ${id} ${signIn.proofs.length} ${signIn.wrong}`;

/** A person's keys that count now. */
export const KEYS = `FROM webauthn_credentials c JOIN authenticators a ON a.id = c.authenticator_id
  JOIN persons p ON p.id = a.person_id AND p.state = 'active'`;
export const atPlace = (application: string): string =>
  `(a.restricted = 0 OR EXISTS (SELECT 1 FROM authenticator_applications x WHERE x.authenticator_id = a.id AND x.application_id = ${application}))`;
export const AT_PLACE = atPlace(':place');

/** Whose pages a sign-in is shown on: ours, or the application's own. */
export type ShownAt = 'ours' | 'theirs';

export const partyShownAt = async (deps: Deps, at: ShownAt, applicationId: Id): Promise<RelyingParty> =>
  at === 'ours' ? await ownParty(deps) : await partyAt(deps, applicationId);

/** Somebody at an application. */
interface Somebody {
  readonly person: Id;
  readonly place: Id;
}

interface NamedRow {
  person_id: Buffer;
  credential_id: Buffer;
  transports: string;
  app_id: string | null;
  /** Applications that it is kept to, as hexadecimal digits; null where it may be used at all. */
  only_at: string | null;
}

/** The keys that people may be asked for, each at an application. */
async function namedKeys(db: Db, asked: readonly Somebody[]): Promise<readonly (readonly NamedRow[])[]> {
  const rows = await select<NamedRow>(
    db,
    `SELECT a.person_id, c.credential_id, c.transports, c.app_id, IF(a.restricted = 0, NULL, COALESCE((SELECT GROUP_CONCAT(LOWER(HEX(x.application_id)))
       FROM authenticator_applications x WHERE x.authenticator_id = a.id), '')) AS only_at ${KEYS}
     WHERE a.person_id IN (:people) AND ${countsNow('a')} ORDER BY a.preferred DESC, a.last_used_at DESC, a.id`,
    { people: asked.map(({ person }) => idBytes(person)) },
  );
  return asked.map(({ person, place }) => {
    const [id, at] = [idBytes(person), idBytes(place).toString('hex')];
    return rows.filter(
      (row) => row.person_id.equals(id) && (row.only_at === null || row.only_at.split(',').includes(at)),
    );
  });
}

/** Outside of a transaction, together with whoever else is asked at the moment. */
const namedFor = async (deps: Deps, db: Db, asked: Somebody): Promise<readonly NamedRow[]> =>
  db.transaction ? (await namedKeys(db, [asked]))[0]! : await deps.batcher.ask(namedKeys, asked);

/** The sign-in as our own pages show it. */
export const shownAtPage = async (deps: Deps, db: Db, stored: StoredSignIn): Promise<Answer<'signIns.show'>> =>
  await shownAt('ours', deps, db, stored);

/** Where an application with pages of its own brings somebody who has nothing to go on with. */
function enrolAtOf({ config }: Deps, { applicationId, signIn }: StoredSignIn): string | null {
  const wanted = signIn.state === 'enrol-first' || (signIn.state === 'let-in' && signIn.graceUntil !== undefined);
  return wanted ? `${config.publicUrl.origin}/enrol?for=${applicationId}` : null;
}

/** The sign-in as pages show it: with what to ask the browser for, where it asks for a key. */
export async function shownAt(at: ShownAt, deps: Deps, db: Db, stored: StoredSignIn): Promise<Answer<'signIns.show'>> {
  const view = { ...viewOf(stored), enrolAt: at === 'theirs' ? enrolAtOf(deps, stored) : null };
  if (view.prompt?.kind !== 'webauthn') return view;
  // Before anything was proved nobody learns whether somebody has keys, or which: then those answer that find themselves.
  const known = stored.signIn.proofs.length > 0 ? stored.personId : null;
  const named = known === null ? [] : await namedFor(deps, db, { person: known, place: stored.applicationId });
  const party = await partyShownAt(deps, at, stored.applicationId);
  const verifies =
    known === null ? await anybodysKeysVerify(deps) : (await keyRulesOf(deps, db, known)).verification === 'required';
  // Credentials from before WebAuthn answer by the id that they were made for, and only if browsers are told it.
  const older = party.appId !== null && named.some(({ app_id }) => app_id === party.appId);
  const allowCredentials = named.map(descriptorOf);
  const hints = hintsFor(allowCredentials);
  return {
    ...view,
    prompt: {
      ...view.prompt,
      publicKey: {
        challenge: challengeFor(deps, ceremonyOf(stored)).toString('base64url'),
        timeout: CEREMONY_MS,
        rpId: party.id,
        allowCredentials,
        userVerification: verifies ? 'required' : verificationFor(stored.signIn),
        ...(hints.length > 0 ? { hints: [...hints] } : {}),
        ...(older ? { extensions: { appid: party.appId } } : {}),
      },
    },
  };
}
