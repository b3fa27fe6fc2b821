import type { Answer, Parsed } from '@nimble-latch/api';
import type { Json } from '@nimble-latch/core/crypto';
import { buildKeyUri, groupedKey } from '@nimble-latch/core/keyuri';
import type { OtpAlgorithm, Id } from '@nimble-latch/core/vocabulary';
import QRCode from 'qrcode';
import { countersignedForKeyring } from '../access/countersign.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { newId } from '../../platform/ids.js';
import { carrierFor, lockEnrolling, type Maker } from './enrolling.js';
import { assertOffered } from '../methods/offer.js';
import { describeAuthenticator, lockAuthenticator } from './store.js';
import { authenticators } from './authenticator.model.js';
import { wiped } from '../../platform/secrets/wiped.js';

/** Key lengths equal to the hash's output, as RFC 6238 appendix B uses and RFC 4226 §4 R6 advises (160 bits or more). */
const KEY_BYTES: Record<OtpAlgorithm, number> = { SHA1: 20, SHA256: 32, SHA512: 64 };

type Wanted = Pick<Parsed<'totp.begin', 'body'>, 'label' | 'carrier'> &
  Partial<Pick<Parsed<'totp.begin', 'body'>, 'algorithm' | 'digits' | 'period'>>;

/**
 * Makes a key, stores it sealed, and shows it this once. The authenticator is pending until a code proves it.
 *
 * @param permit asked once everything about the person is known, before anything is written; throws where it may not be
 */
export async function makeTotp(
  deps: Deps,
  work: Work,
  maker: Maker,
  person: Id,
  wanted: Wanted,
  permit: () => Promise<void>,
): Promise<Answer<'totp.begin'>> {
  const { settings } = await deps.settings.current();
  const { name } = await lockEnrolling(work, person);
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
  await authenticators(work).create(
    {
      id,
      personId: person,
      carrierId,
      method: 'totp',
      state: 'pending',
      label: wanted.label,
      parameters: JSON.stringify(parameters),
      secretSealed: deps.keys.current.seal('seed', `authenticator/${id}/secret`, secret, deps.random(12)),
      createdAt: work.now,
    },
    { transaction: work.transaction },
  );
  await work.trail(
    entryOf(
      maker,
      'authenticator.begun',
      { kind: 'authenticator', id },
      { person, details: { method: 'totp', ...parameters } },
    ),
  );
  const { keyUri, key } = wiped(secret, (seed) => ({
    keyUri: buildKeyUri({
      issuer: settings.organisation,
      account: name ?? person,
      key: seed,
      ...parameters,
    }),
    key: groupedKey(seed),
  }));
  return {
    authenticator: describeAuthenticator(await lockAuthenticator(work, id)),
    keyUri,
    key,
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
      await countersignedForKeyring(
        deps,
        work,
        call,
        person,
        { begin: 'totp', ...(call.body as Readonly<Record<string, Json>>) },
        (name) => ({
          what: 'factor-begun',
          facts: { name, label: call.body.label },
        }),
      );
    return { answer: await makeTotp(deps, work, call, person, call.body, permit) };
  });
