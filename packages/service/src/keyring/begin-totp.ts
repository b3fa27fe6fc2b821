import { LIMITS, type Answer, type Parsed } from '@nimble-latch/api';
import { buildKeyUri, groupedKey } from '@nimble-latch/core/keyuri';
import type { OtpAlgorithm } from '@nimble-latch/core/vocabulary';
import QRCode from 'qrcode';
import { insert, selectOne } from '../db/sql.js';
import { countersignedForKeyring } from '../access/countersign.js';
import type { Work } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { badField, Refusal } from '../errors.js';
import { entryOf, type Actor } from '../http/actors.js';
import type { Handler } from '../http/call.js';
import { key, newId } from '../ids.js';
import { keepingSerialsApart, serialColumns } from './carriers.js';
import { assertOffered } from '../methods/offer.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';

/** Key lengths equal to the hash's output, as RFC 6238 appendix B uses and RFC 4226 §4 R6 advises (160 bits or more). */
const KEY_BYTES: Record<OtpAlgorithm, number> = { SHA1: 20, SHA256: 32, SHA512: 64 };

/** Who makes something, for the trail. */
export interface Maker {
  readonly actor: Actor;
  readonly origin: string;
}

type Wanted = Pick<Parsed<'totp.begin', 'body'>, 'label' | 'carrier'> &
  Partial<Pick<Parsed<'totp.begin', 'body'>, 'algorithm' | 'digits' | 'period'>>;

async function carrierFor(
  deps: Deps,
  work: Work,
  maker: Maker,
  person: string,
  carrier: Wanted['carrier'],
): Promise<string> {
  if ('id' in carrier) {
    const found = await selectOne<{ state: string }>(
      work,
      'SELECT state FROM carriers WHERE id = :id AND person_id = :person',
      {
        id: key(carrier.id),
        person: key(person),
      },
    );
    if (!found) throw badField('body.carrier.id', 'not-their-carrier');
    if (found.state === 'lost') throw badField('body.carrier.id', 'lost-carrier');
    return carrier.id;
  }
  const id = newId(deps);
  const row = { id: key(id), personId: key(person), kind: carrier.kind, state: 'in-hand', label: carrier.label };
  const values = { ...row, ...serialColumns(carrier.serial), createdAt: work.now };
  await keepingSerialsApart(deps, carrier.serial, insert(work, 'carriers', values));
  await work.trail(
    entryOf(maker, 'carrier.added', { kind: 'carrier', id }, { person, details: { kind: carrier.kind } }),
  );
  return id;
}

/**
 * Makes a key, stores it sealed, and shows it this once. The authenticator is pending until a code proves it.
 *
 * @param permit asked once everything about the person is known, before anything is written; throws where it may not be
 */
export async function makeTotp(
  deps: Deps,
  work: Work,
  maker: Maker,
  person: string,
  wanted: Wanted,
  permit: () => Promise<void>,
): Promise<Answer<'totp.begin'>> {
  const { settings } = await deps.settings.current();
  const row = await selectOne<{ state: string; name: string | null; held: number }>(
    work,
    `SELECT p.state, (SELECT value FROM login_names n WHERE n.person_id = p.id ORDER BY id LIMIT 1) AS name,
       (SELECT COUNT(*) FROM authenticators a WHERE a.person_id = p.id AND a.state IN ('pending', 'active', 'suspended')) AS held
     FROM persons p WHERE p.id = :id FOR UPDATE`,
    { id: key(person) },
  );
  if (!row) throw new Refusal('not-found');
  if (row.state !== 'active') throw new Refusal('wrong-state', { state: row.state });
  if (Number(row.held) >= LIMITS.authenticatorsPerPerson)
    throw new Refusal('limit-reached', { limit: LIMITS.authenticatorsPerPerson });
  const { parameters: own } = (await assertOffered(deps, work, person, 'totp')).decided!.cell;
  const made = { ...settings.totp, ...own };
  await permit();
  const algorithm = wanted.algorithm ?? made.algorithm;
  const parameters = {
    algorithm,
    digits: wanted.digits ?? made.digits,
    period: wanted.period ?? made.period,
  };
  const carrierId = await carrierFor(deps, work, maker, person, wanted.carrier);
  const id = newId(deps);
  const secret = deps.random(KEY_BYTES[algorithm]);
  await insert(work, 'authenticators', {
    id: key(id),
    personId: key(person),
    carrierId: key(carrierId),
    method: 'totp',
    state: 'pending',
    label: wanted.label,
    parameters: JSON.stringify(parameters),
    secretSealed: deps.keys.current.seal('seed', `authenticator/${id}/secret`, secret, deps.random(12)),
    createdAt: work.now,
  });
  await work.trail(
    entryOf(
      maker,
      'authenticator.begun',
      { kind: 'authenticator', id },
      { person, details: { method: 'totp', ...parameters } },
    ),
  );
  const keyUri = buildKeyUri({
    issuer: settings.organisation,
    account: row.name ?? person,
    key: secret,
    ...parameters,
  });
  return {
    authenticator: describeAuthenticator(await lockAuthenticator(work, id)),
    keyUri,
    key: groupedKey(secret),
    qrSvg: await QRCode.toString(keyUri, { type: 'svg', errorCorrectionLevel: 'M', margin: 4 }),
    qrPng: (
      await QRCode.toBuffer(keyUri, {
        type: 'png',
        errorCorrectionLevel: 'M',
        margin: 4,
        scale: 6,
        // Choosing a filter for each line costs more than all the rest of an enrolment and saves nothing on squares.
        rendererOpts: { filterType: 0 } as QRCode.QRCodeToBufferOptions['rendererOpts'],
      })
    ).toString('base64'),
    codesNeeded: made.codesToProve,
  };
}

/** The same by an administrator, for somebody. */
export const beginTotp: Handler<'totp.begin'> = async (deps, call) =>
  await call.run(async (work) => {
    const person = call.params.id;
    const permit = async () =>
      await countersignedForKeyring(deps, work, call, person, (name) => ({
        what: 'factor-begun',
        facts: { name, label: call.body.label },
      }));
    return { answer: await makeTotp(deps, work, call, person, call.body, permit) };
  });
