import { describe, expect, it } from 'vitest';
import { de } from './de.js';
import { en } from './en.js';
import { acceptedLanguage, catalogue, hint, say, sayHint } from './index.js';

/** Every sentence of a catalogue with its place. */
function sentences(words: object, place = ''): [string, string][] {
  return Object.entries(words).flatMap(([name, value]: [string, unknown]) =>
    typeof value === 'string' ? [[`${place}${name}`, value]] : sentences(value as object, `${place}${name}.`),
  );
}
const factsOf = (sentence: string) => (sentence.match(/\{\w+/g) ?? []).sort();

describe('the catalogues', () => {
  it('say the same with the same facts in every language, and nothing twice in English words', () => {
    const german = new Map(sentences(de));
    for (const [place, sentence] of sentences(en)) {
      expect(german.has(place), place).toBe(true);
      expect(factsOf(german.get(place)!), place).toEqual(factsOf(sentence));
      if (sentence.split(' ').length > 3) expect(german.get(place), place).not.toBe(sentence);
    }
    expect(german.size).toBe(sentences(en).length);
  });

  it('keep a hint and its facts through a schema, and leave any other text alone', () => {
    expect(sayHint(catalogue('de'), hint('too-long', { most: 40 }))).toBe('höchstens 40 Zeichen');
    expect(sayHint(catalogue('en'), hint('empty'))).toBe('must not be empty');
    expect(sayHint(catalogue('en'), 'plain words')).toBe('plain words');
    expect(say('{here} and {missing}', { here: 'x' })).toBe('x and {missing}');
  });

  it('put numbers and nouns together as the language does', () => {
    const rows = '{n, plural, one {# row} other {# rows}} of {file}';
    expect(say(rows, { n: 1, file: 'a' })).toBe('1 row of a');
    expect(say(rows, { n: 0, file: 'a' })).toBe('0 rows of a');
    expect(say(rows, { n: '12000', file: "it's {n} <b>'" })).toBe("12000 rows of it's {n} <b>'");
    expect(say(rows, { file: 'a' })).toBe(rows);
    const polish = '{n, plural, one {# klucz} few {# klucze} many {# kluczy} other {# klucza}}';
    expect([1, 3, 5, 22].map((n) => say(polish, { n }, 'pl'))).toEqual([
      '1 klucz',
      '3 klucze',
      '5 kluczy',
      '22 klucze',
    ]);
  });

  it('are sentences that can be read, with every fact that they name', () => {
    for (const [language, words] of Object.entries({ en, de }))
      for (const [place, sentence] of sentences(words)) {
        const facts = Object.fromEntries([...sentence.matchAll(/\{(\w+)/g)].map(([, name]) => [name!, 7]));
        expect(say(sentence, facts, language), `${language} ${place}`).not.toMatch(/\{|NaN|undefined/);
      }
  });

  it.each([
    [undefined, 'en'],
    ['', 'en'],
    ['de', 'de'],
    ['de-CH, en;q=0.8', 'de'],
    ['fr, de;q=0.5, en;q=0.7', 'en'],
    ['DE;q=0', 'en'],
    ['de;q=nonsense, en', 'en'],
    ['constructor, __proto__', 'en'],
    [`${'x,'.repeat(5_000)}de`, 'en'],
  ])('Accept-Language %j is answered in %s', (header, language) => expect(acceptedLanguage(header)).toBe(language));
});
