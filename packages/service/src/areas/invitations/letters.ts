import { LIMITS, type Answer } from '@nimble-latch/api';
import QRCode from 'qrcode';
import type { Deps } from '../../platform/deps.js';
import { Refusal } from '../../platform/errors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { enrolmentPage, linkOf } from './links.js';
import { reachedRound } from './rounds.js';
import { countUnsent, giveOut, lockUnsent, type GivenOut } from './unsent.js';

type Letter = Answer<'invitationRounds.print'>['letters'][number];

/** The letters of a sending that nobody has printed: each gets its code now, and is given out this once. */
export const printLetters: Handler<'invitationRounds.print'> = async (deps, call) =>
  await call.run(async (work) => {
    const { id: round, via } = await reachedRound(work, call.actor, call.params.id);
    if (via !== 'letter') throw new Refusal('wrong-state', { state: via });
    const rows = await lockUnsent(work, { round }, LIMITS.lettersAtOnce);
    const given = await giveOut(deps, work, call, rows, 'invitation.printed');
    const letters = await Promise.all(given.map(async (one) => await letterOf(deps, one)));
    return { answer: { letters, left: await countUnsent(work, { round }) } };
  });

const letterOf = async (deps: Deps, { row, code, text }: GivenOut): Promise<Letter> => ({
  person: { id: idText(row.person_id), displayName: row.display_name },
  lines: text.body,
  code,
  page: enrolmentPage(deps),
  qrSvg: await QRCode.toString(linkOf(deps, code), { type: 'svg', errorCorrectionLevel: 'M', margin: 4 }),
});
