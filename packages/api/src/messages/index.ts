import { de } from './de.js';
import { en, type Catalogue } from './en.js';
import { say, type Facts } from './say.js';

export type { Catalogue } from './en.js';
export { say, type Facts } from './say.js';
export { sayExplanation } from './say-explanation.js';
export { sayFindings } from './say-findings.js';
export { sayChange, sayEased } from './say-change.js';
export { sayEntry } from './say-entry.js';
export { sayOutcome, sayRule } from './say-rule.js';

/** Languages that ship. */
export const LANGUAGES = { en, de } satisfies Record<Language, Catalogue>;
/** Their tags by themselves: whoever needs no more loads no words of the others. */
const TAGS = ['en', 'de'] as const;
export type Language = (typeof TAGS)[number];
const isLanguage = (tag: string): tag is Language => (TAGS as readonly string[]).includes(tag);

/** The catalogue for a language tag, by its first part; English where there is none. */
export function catalogue(language: string): Catalogue {
  const primary = language.split('-')[0]!;
  return isLanguage(primary) ? LANGUAGES[primary] : en;
}

/** The locale that dates are written in for a language tag: plain English as it is written where most of it is, not in one country. */
export const localeOf = (language: string): string => (language === 'en' ? 'en-GB' : language);

/** Names a sentence about one field; schemas and use cases carry names, the sentence is made where it is shown. */
export type HintId = keyof Catalogue['fields'];

const HINT = 'hint:';
/** A hint as schemas and refusals carry it: its name and facts in one string, since that is all that a schema's error can be. */
export const hint = (id: HintId, facts?: Facts): string => `${HINT}${id}${facts ? ` ${JSON.stringify(facts)}` : ''}`;

/** The sentence of a hint; any other text stays as it is. */
export function sayHint(words: Catalogue, text: string): string {
  if (!text.startsWith(HINT)) return text;
  const [, id, facts] = /^hint:([\w-]+)(?: (.*))?$/s.exec(text)!;
  return say(words.fields[id as HintId], facts === undefined ? {} : (JSON.parse(facts) as Facts), words.language);
}

/** What else ended with a change; empty where nothing did. */
export function sayEnded(
  words: Catalogue,
  ended: { readonly sessions: number; readonly accessTokens: number } | null | undefined,
): string {
  return ended && ended.sessions + ended.accessTokens > 0 ? say(words.endedAccess, { ...ended }, words.language) : '';
}

/** What an action that needs a countersignature would bring about, as people read it. */
export function sayConsequence(
  words: Catalogue,
  {
    what,
    facts,
  }: { readonly what: keyof Catalogue['consequences']; readonly facts: Readonly<Record<string, string | number>> },
): string {
  const named = (list: unknown, names: Readonly<Record<string, string>>) =>
    String(list)
      .split(' ')
      .map((name) => names[name] ?? name)
      .join(', ');
  return say(
    words.consequences[what],
    {
      ...facts,
      ...('batch' in facts && facts['batch'] === '' ? { batch: words.everyBatch } : {}),
      ...('role' in facts ? { role: named(facts['role'], words.roles) } : {}),
      ...('roles' in facts ? { roles: named(facts['roles'], words.roles) } : {}),
      ...('methods' in facts ? { methods: methodsNamed(words, String(facts['methods'])) } : {}),
      ...('actions' in facts ? { actions: named(facts['actions'], words.signedActions) } : {}),
    },
    words.language,
  );
}

/** Methods by their ids, with spaces between; any other text stays as it is. */
function methodsNamed({ methods }: Catalogue, ids: string): string {
  const names = ids.split(' ').map((id) => (methods as Readonly<Record<string, string>>)[id]);
  return names.every((name) => name !== undefined) ? names.join(', ') : ids;
}

/** The first language of an `Accept-Language` header (RFC 9110 §12.5.4) that ships; English where there is none. */
export function acceptedLanguage(header: string | undefined): Language {
  const wanted = (header ?? '')
    .slice(0, 200)
    .split(',')
    .map((part) => {
      const [tag = '', ...parameters] = part
        .trim()
        .toLowerCase()
        .split(/\s*;\s*/);
      const q = Number(parameters.find((one) => one.startsWith('q='))?.slice(2) ?? 1);
      return { primary: tag.split('-')[0]!, q: Number.isFinite(q) ? q : 0 };
    })
    .filter(({ primary, q }) => q > 0 && isLanguage(primary))
    .sort((a, b) => b.q - a.q);
  return (wanted[0]?.primary as Language | undefined) ?? 'en';
}
