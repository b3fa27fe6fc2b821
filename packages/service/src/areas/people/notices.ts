import { catalogue, say, sayConsequence } from '@nimble-latch/api';
import type { ConsequenceId, Id } from '@nimble-latch/core/vocabulary';
import { select, selectOne } from '../../platform/db/sql.js';
import type { Plan } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText } from '../../platform/ids.js';
import { sendLater } from '../../platform/delivery/outbox.js';
import { openContact } from './contact.js';

/** Changes of a keyring that its person hears of. */
export type NoticeKind =
  | 'authenticator.proved'
  | 'authenticator.suspended'
  | 'authenticator.revoked'
  | 'authenticator.expired'
  | 'password.set'
  | 'pin.changed'
  | 'recovery.made'
  | 'recovery.used'
  | 'recovery.few'
  | 'invitation.printed'
  | 'pass.given'
  | 'pass.withdrawn';

/**
 * Tells a person that their keyring changed, at the address held when the change is made. Nothing is queued where no
 * mail server is set up or the person has no address.
 */
export async function noticeTo(deps: Deps, plan: Plan, personId: Id, kind: NoticeKind, label: string): Promise<void> {
  if (!deps.config.smtp) return;
  const row = await selectOne<{
    display_name: string;
    mail_sealed: Buffer | null;
    language: string;
    time_zone: string;
  }>(plan.reading, 'SELECT display_name, mail_sealed, language, time_zone FROM persons WHERE id = :id', {
    id: idBytes(personId),
  });
  const to = row && (await openContact(deps, personId, 'mail', row.mail_sealed));
  if (!to) return;
  const words = catalogue(row.language).mail;
  const { settings } = await deps.settings.current();
  const when = new Intl.DateTimeFormat(row.language, {
    dateStyle: 'full',
    timeStyle: 'long',
    timeZone: row.time_zone,
  }).format(plan.now);
  const lines = [
    say(words.greeting, { name: row.display_name }),
    '',
    say(words[kind], { label }),
    say(words.when, { when }),
    '',
    words.closing,
    '',
    say(words.signature, { organisation: settings.organisation }),
    '',
  ];
  sendLater(deps, plan, { kind: 'mail', to, subject: words.subject, text: lines.join('\n') });
}

type Catalogue = ReturnType<typeof catalogue>;

/** Writes to every active owner, each in their language. */
async function toOwners(
  deps: Deps,
  plan: Plan,
  subject: 'signature.subject' | 'emergency.subject' | 'passes.subject',
  usefulMs: number | undefined,
  linesIn: (words: Catalogue) => readonly string[],
): Promise<void> {
  if (!deps.config.smtp) return;
  const owners = await select<{ id: Buffer; display_name: string; mail_sealed: Buffer; language: string }>(
    plan.reading,
    `SELECT p.id, p.display_name, p.mail_sealed, p.language FROM role_grants g JOIN persons p ON p.id = g.person_id
     WHERE g.role = 'owner' AND p.state = 'active' AND p.mail_sealed IS NOT NULL`,
  );
  const { settings } = await deps.settings.current();
  for (const owner of owners) {
    const to = await openContact(deps, idText(owner.id), 'mail', owner.mail_sealed);
    if (to === null) continue;
    const words = catalogue(owner.language);
    const lines = [
      say(words.mail.greeting, { name: owner.display_name }),
      '',
      ...linesIn(words),
      '',
      say(words.mail.signature, { organisation: settings.organisation }),
      '',
    ];
    sendLater(deps, plan, { kind: 'mail', to, subject: words.mail[subject], text: lines.join('\n') }, usefulMs);
  }
}

/** Tells every owner that a countersignature is asked for: whoever asks too, in case it was not really them. */
export async function noticeOfRequest(
  deps: Deps,
  plan: Plan,
  asker: string,
  consequence: { readonly what: ConsequenceId; readonly facts: Readonly<Record<string, string | number>> },
  until: Date,
): Promise<void> {
  await toOwners(deps, plan, 'signature.subject', until.getTime() - plan.now.getTime(), (words) => [
    say(words.mail['signature.asked'], { asker }),
    sayConsequence(words, consequence),
    '',
    say(words.mail['signature.where'], { link: `${deps.config.publicUrl.origin}/administrators` }),
    say(words.mail['signature.closing'], { asker }),
  ]);
}

/** Tells every owner that somebody has given as many passes as they may in a day: it may be a busy day, and it may be somebody else. */
export async function noticeOfManyPasses(
  deps: Deps,
  plan: Plan,
  gave: { readonly giver: string; readonly given: number; readonly name: string },
): Promise<void> {
  await toOwners(deps, plan, 'passes.subject', undefined, ({ mail, language }) => [
    say(mail['passes.reached'], gave, language),
    '',
    say(mail['passes.where'], { link: `${deps.config.publicUrl.origin}/passes` }),
    say(mail['passes.closing'], gave),
  ]);
}

/** Tells every owner that an emergency account was used, and where its story stands. */
export async function noticeOfEmergency(
  deps: Deps,
  plan: Plan,
  used: { readonly signIn: string; readonly name: string; readonly applicationId: Id; readonly from: string },
): Promise<void> {
  const application = await selectOne<{ name: string }>(plan.reading, 'SELECT name FROM applications WHERE id = :id', {
    id: idBytes(used.applicationId),
  });
  await toOwners(deps, plan, 'emergency.subject', undefined, ({ mail }) => [
    say(mail['emergency.used'], { name: used.name, application: application?.name ?? '', from: used.from }),
    '',
    say(mail['emergency.where'], { link: `${deps.config.publicUrl.origin}/sign-ins/${used.signIn}` }),
    mail['emergency.closing'],
  ]);
}
