import { isArgumentElement, isPluralElement } from '@formatjs/icu-messageformat-parser';
import { IntlMessageFormat } from 'intl-messageformat';

export type Facts = Readonly<Record<string, string | number | boolean>>;

const formats = new Map<string, IntlMessageFormat>();

/** Numbers stand as they are: whoever wants them grouped puts in a text. */
const asItIs = { format: String } as unknown as Intl.NumberFormat;
const formatters = {
  getNumberFormat: () => asItIs,
  getDateTimeFormat: (...given: ConstructorParameters<typeof Intl.DateTimeFormat>) => new Intl.DateTimeFormat(...given),
  getPluralRules: (...given: ConstructorParameters<typeof Intl.PluralRules>) => new Intl.PluralRules(...given),
};

/** More sentences than the catalogues of one language hold. */
const MOST_KEPT = 5_000;

function formatOf(sentence: string, language: string): IntlMessageFormat {
  const name = `${language} ${sentence}`;
  if (formats.size > MOST_KEPT) formats.clear();
  let format = formats.get(name);
  if (!format)
    formats.set(name, (format = new IntlMessageFormat(sentence, language, {}, { ignoreTag: true, formatters })));
  return format;
}

/**
 * Puts facts into a sentence of a catalogue (ICU message format): `{name}` is the fact itself,
 * `{rows, plural, one {# row} other {# rows}}` a number with the noun that goes with it, in the forms that the language has (CLDR).
 * A fact that is missing leaves its name in braces, which a test looks for.
 *
 * @param language whose plural forms count; English and German have the same
 */
export function say(sentence: string, facts: Facts = {}, language = 'en'): string {
  if (!sentence.includes('{')) return sentence;
  const given: Record<string, string | number> = {};
  const format = formatOf(sentence, language);
  for (const part of format.getAst()) {
    if (!isArgumentElement(part) && !isPluralElement(part)) continue;
    const fact = Object.hasOwn(facts, part.value) ? facts[part.value]! : undefined;
    if (isPluralElement(part)) {
      if (fact === undefined) return sentence;
      given[part.value] = Number(fact);
    } else if (!(part.value in given)) given[part.value] = fact === undefined ? `{${part.value}}` : String(fact);
  }
  return String(format.format(given));
}
