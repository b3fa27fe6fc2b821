import { expect, it } from 'vitest';
import { de } from './de.js';
import { en } from './en.js';

function sentences(words: object, place = ''): [string, string][] {
  return Object.entries(words).flatMap(([name, value]: [string, unknown]) =>
    typeof value === 'string' ? [[`${place}${name}`, value]] : sentences(value as object, `${place}${name}.`),
  );
}

it('the console says the same with the same facts in every language', () => {
  const german = new Map(sentences(de));
  const english = sentences(en);
  expect(german.size).toBe(english.length);
  for (const [place, sentence] of english) {
    const facts = (text: string) => (text.match(/\{\w+/g) ?? []).sort();
    expect(facts(german.get(place)!), place).toEqual(facts(sentence));
    if (sentence.split(' ').length > 3) expect(german.get(place), place).not.toBe(sentence);
  }
});
