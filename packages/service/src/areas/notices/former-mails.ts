import { FORMER_MAIL_DAYS } from '@nimble-latch/core/notices';
import type { Id } from '@nimble-latch/core/vocabulary';
import { write } from '../../platform/db/sql.js';
import type { Work } from '../../platform/db/unit-of-work.js';
import { idBytes } from '../../platform/ids.js';

/**
 * Keeps the address that somebody has, before it is replaced: notices go there too for some weeks. Where it was changed before in that
 * time, the first one stays: whoever changes it twice does not get rid of it, and the one in between has heard of its own end.
 */
export async function keepFormerMail(work: Work, person: Id): Promise<void> {
  await write(
    work,
    `INSERT INTO former_mails (id, mail_sealed, until) SELECT p.id, p.mail_sealed, :until FROM persons p WHERE p.id = :id AND p.mail_sealed IS NOT NULL
     ON DUPLICATE KEY UPDATE mail_sealed = IF(former_mails.until > :now, former_mails.mail_sealed, VALUES(mail_sealed)), until = VALUES(until)`,
    { id: idBytes(person), now: work.now, until: new Date(work.now.getTime() + FORMER_MAIL_DAYS * 86_400_000) },
  );
}
