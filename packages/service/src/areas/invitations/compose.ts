import { catalogue, localeOf, say, type Answer } from '@nimble-latch/api';
import { fillText, type InvitationText } from '@nimble-latch/core/invitations/template';
import type { InvitationField, Method } from '@nimble-latch/core/vocabulary';
import type { Mail } from '../../platform/delivery/mail.js';
import type { Deps } from '../../platform/deps.js';
import type { Settings } from '../insight/settings-cache.js';
import { enrolmentPage, linkOf } from './links.js';

type Language = Parameters<typeof catalogue>[0];

/** What is to be told to whom. */
interface Letter {
  readonly name: string;
  readonly language: Language;
  readonly timeZone: string;
  readonly methods: readonly Method[];
  readonly code: string;
  readonly validUntil: Date;
}

/** The text in force for a language: what the installation has written, or what is delivered. */
export function textFor({ invitations }: Settings, language: Language): InvitationText {
  const words = catalogue(language);
  const own = words.language === 'de' ? invitations.texts.de : invitations.texts.en;
  return own ?? { subject: words.invitationText.subject, body: words.invitationText.body };
}

const untils = new Map<string, Intl.DateTimeFormat>();
/** Made once for a language and zone: making one takes longer than all the rest of a letter. */
function untilFormat(language: Language, timeZone: string): Intl.DateTimeFormat {
  const name = `${language} ${timeZone}`;
  let format = untils.get(name);
  if (!format) {
    if (untils.size > 500) untils.clear();
    untils.set(
      name,
      (format = new Intl.DateTimeFormat(localeOf(language), { dateStyle: 'full', timeStyle: 'short', timeZone })),
    );
  }
  return format;
}

function fieldsOf(deps: Deps, { organisation }: Settings, letter: Letter): Readonly<Record<InvitationField, string>> {
  const { methods } = catalogue(letter.language);
  return {
    name: letter.name,
    organisation,
    methods: letter.methods.map((method) => methods[method]).join('; '),
    link: linkOf(deps, letter.code),
    page: enrolmentPage(deps),
    code: letter.code,
    until: untilFormat(letter.language, letter.timeZone).format(letter.validUntil),
  };
}

/** A text with somebody's fields filled in. */
export function filled(deps: Deps, settings: Settings, text: InvitationText, letter: Letter): InvitationText {
  const fields = fieldsOf(deps, settings, letter);
  return { subject: fillText(text.subject, fields), body: fillText(text.body, fields) };
}

/** The mail by which somebody is invited, or reminded. */
export function mailFor(
  deps: Deps,
  settings: Settings,
  letter: Letter & { readonly to: string; readonly reminds: boolean },
): Mail {
  const { subject, body } = filled(deps, settings, textFor(settings, letter.language), letter);
  const { invitationText } = catalogue(letter.language);
  return {
    kind: 'mail',
    to: letter.to,
    subject: letter.reminds ? say(invitationText.reminder, { subject }) : subject,
    text: `${body}\n`,
  };
}

/** Days from now for which the example of a preview is good. */
const EXAMPLE_DAYS = 14;

/** A text as somebody would read it. Its code has the form of one, and opens nothing. */
export function previewOf(
  deps: Deps,
  settings: Settings,
  language: 'en' | 'de',
  text: InvitationText | null,
): Answer<'invitations.previewText'> {
  const shown =
    text ?? textFor({ ...settings, invitations: { ...settings.invitations, texts: { en: null, de: null } } }, language);
  const example: Letter = {
    name: catalogue(language).invitationExample.name,
    language,
    timeZone: 'UTC',
    methods: ['totp', 'webauthn'],
    code: 'ACFH-JKLM-ORTU-WXYZ-ACFH-JKLM',
    validUntil: new Date(deps.now().getTime() + EXAMPLE_DAYS * 86_400_000),
  };
  return { text: shown, ...filled(deps, settings, shown, example) };
}
