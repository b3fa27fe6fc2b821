import { LIMITS } from '@nimble-latch/api';
import { sha256 } from '@nimble-latch/core/crypto';
import { drawLookUpSecret, groupedLookUpSecret } from '@nimble-latch/core/look-up-secrets';
import { countersigned } from '../access/countersign.js';
import { openContact } from '../people/contact.js';
import type { Deps } from '../../platform/deps.js';
import { PermissionRefusal, Refusal } from '../../platform/errors.js';
import { csvLines } from '../../platform/http/csv.js';
import { entryOf } from '../../platform/http/actors.js';
import type { Handler } from '../../platform/http/call.js';
import { idText } from '../../platform/ids.js';
import { encryptedZip } from '../../platform/secrets/encrypted-zip.js';
import { enrolmentPage, linkOf } from './links.js';
import { reachedRound } from './rounds.js';
import { countUnsent, giveOut, lockUnsent, type GivenOut, type Unsent } from './unsent.js';

/** Letters of 4 bits each: 96 bits, since the form derives its key by a thousand rounds only. */
const PASSWORD_LETTERS = 24;
/** By this a spreadsheet and a word processor know that it is UTF-8. */
const BYTE_ORDER_MARK = '\ufeff';

/** A column of the file: its heading, which programs rely on, and what stands in it. */
type Column = readonly [heading: string, cell: (one: GivenOut, deps: Deps) => string | Promise<string>];

const COLUMNS: readonly Column[] = [
  ['login_name', ({ row }) => row.login_name ?? ''],
  ['name', ({ row }) => row.display_name],
  ['language', ({ row }) => row.language],
  ['subject', ({ text }) => text.subject],
  ['text', ({ text }) => text.body],
  ['link', ({ code }, deps) => linkOf(deps, code)],
  ['page', (_, deps) => enrolmentPage(deps)],
  ['code', ({ code }) => code],
  ['until', ({ row }) => row.valid_until.toISOString()],
  ['methods', ({ row }) => row.methods],
];
const MAIL: Column = [
  'mail',
  async ({ row }, deps) => (await openContact(deps, idText(row.person_id), 'mail', row.mail_sealed)) ?? '',
];

/**
 * A file for a mail merge, of those of a sending that are in none: encrypted, given out once with what opens it, and not without the yes
 * of a second administrator, since whoever reads it could begin in the place of them all.
 */
export const mergeFile: Handler<'invitationRounds.merge'> = async (deps, call) => {
  const { again, withMail, before } = call.body;
  if (withMail && !call.actor.rights.has('person.read'))
    throw new PermissionRefusal(call.actor, 'person.read', 'not-permitted');
  const columns = withMail ? [...COLUMNS, MAIL] : COLUMNS;
  return await call.run(async (work) => {
    const { id, via, methods } = await reachedRound(work, call.actor, call.params.id);
    if (via !== 'file') throw new Refusal('wrong-state', { state: via });
    const againBefore = again ? earlier(work.now, before) : undefined;
    const which = { round: id, againBefore };
    const next = againBefore?.toISOString() ?? null;
    const rows = await lockUnsent(work, which, LIMITS.mergedAtOnce);
    if (rows.length === 0) return { answer: { made: null, left: 0, before: next } };
    const round = idText(id);
    const facts = {
      people: rows.length,
      methods: methods.join(' '),
      columns: columns.map(([heading]) => heading).join(', '),
    };
    await countersigned(deps, work, call, {
      action: 'merge-file',
      permission: 'invitation.send',
      person: null,
      bound: { round, invitations: digestOf(rows), again, withMail },
      consequence: { what: again ? 'invitations-merged-again' : 'invitations-merged', facts },
    });
    const given = await giveOut(deps, work, call, rows, 'invitation.merged');
    await work.trail(
      entryOf(
        call,
        'invitations.merged',
        { kind: 'person', id: null },
        { details: { round, people: rows.length, again, withMail } },
      ),
    );
    const cells = await Promise.all(
      given.map(async (one) => await Promise.all(columns.map(async ([, cell]) => await cell(one, deps)))),
    );
    const password = groupedLookUpSecret(drawLookUpSecret(deps.random, PASSWORD_LETTERS));
    const lines = BYTE_ORDER_MARK + csvLines([columns.map(([heading]) => heading), ...cells]);
    const zip = await encryptedZip('invitations.csv', lines, password);
    const name = `invitations-${round.slice(-8)}.zip`;
    const made = { people: rows.length, name, zip: Buffer.from(zip).toString('base64'), password };
    return { answer: { made, left: await countUnsent(work, which), before: next } };
  });
};

const earlier = (now: Date, given: string | undefined): Date =>
  given === undefined ? now : new Date(Math.min(now.getTime(), Date.parse(given)));

/** The very invitations, as they are now: one sent anew meanwhile is another. */
const digestOf = (rows: readonly Unsent[]): string =>
  sha256(Buffer.from(rows.map(({ id, links }) => `${idText(id)} ${links}`).join('\n'))).toString('hex');
