import { describe, expect, it } from 'vitest';

type Catalogue = Record<string, object>;
const catalogues = import.meta.glob<Catalogue>(
  ['./{en,de}.ts', '../../areas/*/messages/{en,de}.ts', '../../pages/messages/{en,de}.ts'],
  {
    eager: true,
  },
);
const places = [...new Set(Object.keys(catalogues).map((file) => file.slice(0, -'en.ts'.length)))];

function sentences(words: object, place = ''): [string, string][] {
  return Object.entries(words).flatMap(([name, value]: [string, unknown]) =>
    typeof value === 'string' ? [[`${place}${name}`, value]] : sentences(value as object, `${place}${name}.`),
  );
}
const facts = (text: string) => (text.match(/\{\w+/g) ?? []).sort();

describe('the catalogues of the console', () => {
  it('are those of the frame, of the sign-in pages and of the areas', () => {
    expect(places.length).toBeGreaterThan(14);
  });

  it.each(places)('%s says the same with the same facts in every language', (place) => {
    const english = sentences(catalogues[`${place}en.ts`]!['en']!);
    const german = new Map(sentences(catalogues[`${place}de.ts`]!['de']!));
    expect(german.size).toBe(english.length);
    for (const [name, sentence] of english) {
      expect(facts(german.get(name)!), name).toEqual(facts(sentence));
      if (sentence.split(' ').length > 3) expect(german.get(name), name).not.toBe(sentence);
    }
  });
});
