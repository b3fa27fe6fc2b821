import { catalogue, localeOf, say, sayConsequence } from '@nimble-latch/api';
import { DISPUTABLE_DAYS, effectOfDispute } from '@nimble-latch/core/notices';
import type { ConsequenceId, DisputeEffect, Id, NoticeKind } from '@nimble-latch/core/vocabulary';
import { insertion, select, selectOne } from '../../platform/db/sql.js';
import type { Plan } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { idBytes, idText, newId } from '../../platform/ids.js';
import { issueToken } from '../../platform/secrets/tokens.js';
import { sendLater } from '../../platform/delivery/outbox.js';
import { openContact } from '../people/contact.js';
import { changeNotices } from './change-notice.model.js';

/** What a notice is about, beside its kind. */
interface Change {
  /** The authenticator or invitation that was changed. */
  readonly about?: Id;
  /** What the sentence names. */
  readonly label: string;
}

/**
 * Tells a person that their keyring changed, at the address held when the change is made, and at the one before where that was replaced
 * lately; with a link by which they can say that it was not them. Nothing is queued where no mail server is set up or the person has no
 * address.
 */
export async function noticeTo(
  deps: Deps,
  plan: Plan,
  personId: Id,
  kind: NoticeKind,
  { label, about }: Change,
): Promise<void> {
  if (!deps.config.smtp) return;
  const row = await selectOne<{
    display_name: string;
    mail_sealed: Buffer | null;
    former_sealed: Buffer | null;
    language: string;
    time_zone: string;
  }>(
    plan.reading,
    `SELECT display_name, mail_sealed, language, time_zone,
       (SELECT f.mail_sealed FROM former_mails f WHERE f.id = p.id AND f.until > UTC_TIMESTAMP(3)) AS former_sealed FROM persons p WHERE id = :id`,
    { id: idBytes(personId) },
  );
  if (!row) return;
  const held = await Promise.all(
    [row.mail_sealed, row.former_sealed].map(async (sealed) => await openContact(deps, personId, 'mail', sealed)),
  );
  const addresses = new Set(held.filter((to) => to !== null));
  if (addresses.size === 0) return;
  const words = catalogue(row.language).mail;
  const { settings } = await deps.settings.current();
  const when = new Intl.DateTimeFormat(localeOf(row.language), {
    dateStyle: 'full',
    timeStyle: 'long',
    timeZone: row.time_zone,
  }).format(plan.now);
  const link = disputeLink(deps, plan, personId, kind, { label, ...(about ? { about } : {}) });
  const lines = [
    say(words.greeting, { name: row.display_name }),
    '',
    say(words[kind], { label }),
    say(words.when, { when }),
    '',
    ...(link === undefined ? [] : [words.notMe, link, '']),
    words.closing,
    '',
    say(words.signature, { organisation: settings.organisation }),
    '',
  ];
  for (const to of addresses)
    sendLater(deps, plan, { kind: 'mail', to, subject: words.subject, text: lines.join('\n') });
}

/** What leads to the page where somebody says that it was not them; undefined for what nobody did. The code is in the fragment. */
function disputeLink(
  deps: Deps,
  plan: Plan,
  personId: Id,
  kind: NoticeKind,
  { about, label }: Change,
): string | undefined {
  if (effectOfDispute(kind) === null) return undefined;
  const id = newId(deps);
  const { token, hash, hashKeyId } = issueToken(deps, 'notice', id);
  const row = changeNotices.sent({
    id,
    personId,
    kind,
    aboutId: about ?? null,
    label,
    hash,
    hashKeyId,
    at: plan.now,
    until: new Date(plan.now.getTime() + DISPUTABLE_DAYS * 86_400_000),
  });
  plan.atEnd(insertion('change_notices', row));
  return `${deps.config.publicUrl.origin}/not-me#${token}`;
}

type Catalogue = ReturnType<typeof catalogue>;

/** Writes to every active owner, each in their language. */
async function toOwners(
  deps: Deps,
  plan: Plan,
  subject: 'signature.subject' | 'emergency.subject' | 'passes.subject' | 'dispute.subject' | 'not-me.subject',
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

/** Tells every owner that somebody said on their phone that a sign-in was not them. */
export async function noticeOfNotMe(
  deps: Deps,
  plan: Plan,
  { person, signIn, from }: { readonly person: string; readonly signIn: Id; readonly from: string | null },
): Promise<void> {
  await toOwners(deps, plan, 'not-me.subject', undefined, ({ mail }) => [
    say(mail['not-me.said'], { name: person, from: from ?? '?' }),
    mail['not-me.done'],
    '',
    say(mail['not-me.where'], { link: `${deps.config.publicUrl.origin}/sign-ins/${signIn}` }),
  ]);
}

/** Tells every owner that somebody says a change of their keyring was not them. */
export async function noticeOfDispute(
  deps: Deps,
  plan: Plan,
  disputed: {
    readonly name: string;
    readonly kind: NoticeKind;
    readonly label: string;
    readonly effect: DisputeEffect;
  },
): Promise<void> {
  const { name, kind, label, effect } = disputed;
  await toOwners(deps, plan, 'dispute.subject', undefined, ({ mail, noticeKinds }) => [
    say(mail['dispute.said'], { name, what: say(noticeKinds[kind], { label }) }),
    mail[`dispute.${effect}`],
    '',
    say(mail['dispute.where'], { link: `${deps.config.publicUrl.origin}/disputes` }),
    say(mail['dispute.closing'], { name }),
  ]);
}
