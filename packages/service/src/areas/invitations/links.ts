import {
  drawInvitationCode,
  readInvitationCode,
  shownInvitationCode,
  type InvitationCode,
} from '@nimble-latch/core/invitations';
import type { Id } from '@nimble-latch/core/vocabulary';
import { selectOne, type Db, type SqlValues } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idText } from '../../platform/ids.js';
import { invitationLinks } from './invitation-link.model.js';

/** What the hash of a link is bound to. */
const identityOf = (invitation: Id, { locator }: Pick<InvitationCode, 'locator'>): string =>
  `invitation ${invitation} ${locator}`;

/** A new way into an invitation: the row that is kept, and the code, which is not. */
export function makeLink(
  deps: Deps,
  invitation: Id,
  number: number,
  now: Date,
): { readonly row: SqlValues; readonly code: string } {
  const drawn = drawInvitationCode(deps.random);
  const { hash, keyId } = deps.keys.current.hash(identityOf(invitation, drawn), drawn.secret);
  const { locator } = drawn;
  return {
    row: invitationLinks.sent({ invitationId: invitation, number, locator, hash, hashKeyId: keyId, madeAt: now }),
    code: shownInvitationCode(drawn),
  };
}

/** Where codes are typed. */
export const enrolmentPage = ({ config }: Deps): string => `${config.publicUrl.origin}/enrol`;
/** What leads there with the code: in the fragment, which no server and no scanner of mails is sent. */
export const linkOf = (deps: Deps, code: string): string => `${enrolmentPage(deps)}#${code}`;

/** An invitation that somebody brought, and by which name its person is called. */
export interface Brought {
  readonly id: Id;
  readonly personId: Id;
  readonly loginName: string;
}

/**
 * The open invitation that a code belongs to; undefined for any other, and for whatever reason: there is none, it is not the code of this
 * one, it has been used, run out or was withdrawn, its person is not active.
 */
export async function openInvitation(deps: Deps, db: Db, typed: string): Promise<Brought | undefined> {
  const code = readInvitationCode(typed);
  if (!code) return undefined;
  const row = await selectOne<{
    id: Buffer;
    person_id: Buffer;
    login_name: string | null;
    hash: Buffer;
    hash_key_id: Buffer;
    open: number;
  }>(
    db,
    `SELECT i.id, i.person_id, l.hash, l.hash_key_id, (SELECT value FROM login_names n WHERE n.person_id = i.person_id ORDER BY n.id LIMIT 1) AS login_name,
       (i.open_for IS NOT NULL AND i.valid_until > UTC_TIMESTAMP(3) AND p.state = 'active') AS open
     FROM invitation_links l JOIN invitations i ON i.id = l.invitation_id JOIN persons p ON p.id = i.person_id WHERE l.locator = :locator`,
    { locator: code.locator },
  );
  if (!row) return undefined;
  const id = idText(row.id);
  const right = await deps.keys.opening((keys) =>
    keys.verify(identityOf(id, code), code.secret, { keyId: idText(row.hash_key_id), hash: row.hash }),
  );
  if (!right || Number(row.open) !== 1 || row.login_name === null) return undefined;
  return { id, personId: idText(row.person_id), loginName: row.login_name };
}

/** What was sent of an invitation before is of no use any more. */
export async function endLinks(work: Work, invitation: Id): Promise<void> {
  await invitationLinks(work).destroy({ where: { invitationId: invitation }, transaction: work.transaction });
}
