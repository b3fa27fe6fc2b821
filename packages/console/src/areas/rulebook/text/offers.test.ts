import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { METHODS, ROLES } from '@nimble-latch/api';
import { offersAt, written, type Offer, type Schema } from './offers.js';
import { placeOf } from './place.js';

const schema = JSON.parse(
  readFileSync(new URL('../../../../../../docs/rulebook.schema.json', import.meta.url), 'utf8'),
) as Schema;

const NAMES: Readonly<Record<string, readonly string[]>> = {
  group: ['crane-crew', 'night: shift'],
  person: ['ines.marlow'],
  application: ['Berth Planner'],
  network: ['offices'],
};
const find = async (kind: string, typed: string) =>
  await Promise.resolve((NAMES[kind] ?? []).filter((name) => name.startsWith(typed)));
/** What is offered where `|` stands. */
const offered = async (text: string): Promise<Offer[]> =>
  await offersAt(schema, placeOf(text.slice(0, text.indexOf('|')))!, find);
const texts = async (text: string) => (await offered(text)).map((one) => one.text);

describe('what is offered in a rulebook’s text', () => {
  it('at the outside, the three keys that there are', async () => {
    expect(await offered('|')).toEqual([
      { text: 'form', apply: 'form: ', kind: 'key', says: 'The form that this text is written in' },
      { text: 'rules', apply: 'rules: ', kind: 'key' },
      { text: 'otherwise', apply: 'otherwise: ', kind: 'key', says: 'What holds where no rule applies' },
    ]);
  });

  it('in a rule, every key of a rule', async () => {
    const all = await texts('rules:\n  - rule: A\n    |');
    expect(all).toEqual(
      expect.arrayContaining(['who', 'at', 'from', 'when', 'then', 'except', 'grace', 'risk at least']),
    );
    expect(all).not.toContain('form');
  });

  it.each([
    ['rules:\n  - who: { groups: [|', 'crane-crew', 'crane-crew'],
    ['rules:\n  - who: { groups: [|', 'night: shift', '"night: shift"'],
    ['rules:\n  - who: { not groups: |', 'crane-crew', '[crane-crew]'],
    ['rules:\n  - who:\n      people:\n        - ines|', 'ines.marlow', 'ines.marlow'],
    ['rules:\n  - at: { applications: [|', 'Berth Planner', 'Berth Planner'],
    ['rules:\n  - from: { networks: [|', 'offices', 'offices'],
    ['rules:\n  - except:\n      - group: |', 'crane-crew', 'crane-crew'],
    ['rules:\n  - except:\n      - person: i|', 'ines.marlow', 'ines.marlow'],
  ])('%j names %s', async (text, name, apply) => {
    expect((await offered(text)).filter(({ kind }) => kind === 'name')).toContainEqual({
      text: name,
      apply,
      kind: 'name',
    });
  });

  it.each([
    ['rules:\n  - who: { roles: [|', ROLES],
    ['rules:\n  - when: { days: [|', ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']],
    ['rules:\n  - then: { ask for: [|', METHODS],
    ['rules:\n  - state: |', ['in force', 'resting', 'on trial until 2027-01-31']],
    ['rules:\n  - once a session: |', ['true', 'false']],
    ['otherwise: { ask for level: |', ['1', '2', '3']],
  ])('%j has its words, and no others', async (text, words) => {
    expect((await texts(text)).toSorted()).toEqual([...words].map(String).toSorted());
  });

  it('of what holds then, the words and the keys that it may begin with', async () => {
    expect(await texts('rules:\n  - then:\n      |')).toEqual(
      expect.arrayContaining(['let in', 'refuse', 'ask for phishing-resistant', 'ask for', 'ask for level']),
    );
    expect(await texts('otherwise: {|')).toEqual(['ask for', 'ask for level', 'ask whoever has one']);
  });

  it('nothing where nothing is known', async () => {
    expect(await texts('rules:\n  - nonsense: |')).toEqual([]);
    expect(await texts('rules:\n  - from: { countries: [|')).toEqual([]);
  });
});

describe('a word in YAML', () => {
  it.each([
    ['quay-crew', 'quay-crew'],
    ['Berth Planner', 'Berth Planner'],
    ['Kräne', 'Kräne'],
    ['no', '"no"'],
    ['12', '"12"'],
    ['a: b', '"a: b"'],
    ['- a', '"- a"'],
    ['#1', '"#1"'],
    ['say "a"', String.raw`"say \"a\""`],
  ])('%s is written %s', (word, as) => expect(written(word)).toBe(as));
});
