import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { stringify } from 'yaml';
import { readRulebook } from './index.js';

const problemsOf = (text: string) =>
  (readRulebook(text).problems ?? []).map(({ line, column, what }) => `${line}:${column} ${what}`);

describe('a text that is no rulebook', () => {
  const rule = (more: string) => `form: 1\nrules:\n  - rule: A\n    then: let in\n${more}\notherwise: refuse\n`;
  it.each([
    ['rules: [', '1:9 not-yaml'],
    ['- a\n- b\n', '1:1 expected-map'],
    ['form: 2\nrules: []\notherwise: refuse\n', '1:7 form-unknown'],
    ['form: 1\nrules: []\n', '1:1 key-missing'],
    [rule('    thn: refuse'), '5:5 key-unknown'],
    [rule('    then: refuse'), '5:5 key-twice'],
    [rule('  - rule: a\n    then: refuse'), '5:11 name-twice'],
    [rule('    who: { groups: [] }'), '5:20 list-empty'],
    [rule('    who: { groups: pilots }'), '5:20 expected-list'],
    [rule('    who: { groups: [a], not groups: [b] }'), '5:37 both-or-none'],
    [rule('    who: { roles: [king] }'), '5:20 expected-one-of'],
    [rule('    when: { days: [monday] }'), '5:20 expected-one-of'],
    [rule('    when: { between: "25:00 and 26:00" }'), '5:22 hours'],
    [rule('    when: { zone: Wexmoor/Quay }'), '5:19 zone'],
    [rule('    risk at least: 2'), '5:20 number'],
    [rule('    last proof older than: 3 weeks'), '5:28 duration'],
    [rule('    remember browser: 12 hours'), '5:23 duration'],
    [rule('    state: on trial until 2027-02-30'), '5:12 day'],
    [rule('    except: [{ reason: x, until: 2027-01-01 }]'), '5:14 person-or-group'],
    [rule('    grace: { days: 14 }'), '5:12 key-missing'],
    ['form: 1\nrules: &a []\notherwise: refuse\n', '2:11 alias'],
    ['form: 1\nrules: !!set {}\notherwise: refuse\n', '2:14 expected-list'],
    ['form: 1\nrules: !secret []\notherwise: refuse\n', '2:16 tag'],
    ['form: 1\nrules: []\notherwise:\n  ask for: [password + tptp]\n', '4:13 way'],
    ['form: 1\nrules: []\notherwise: refuse\n---\nform: 1\n', '4:1 several-documents'],
  ])('%j: %s', (text, problem) => {
    expect(problemsOf(text)).toContain(problem);
  });

  it('names everything that is wrong at once, in the order of the lines', () => {
    const found = problemsOf(rule('    browser: old\n    risk at least: high\n    nonsense: 1'));
    expect(found).toEqual(['5:14 expected-one-of', '6:20 number', '7:5 key-unknown']);
  });

  it('is refused quickly however large or deep it is, and never throws', () => {
    const many = `form: 1\nrules:\n${Array.from({ length: 10_001 }, (_, i) => `  - { rule: r${i}, then: refuse }`).join('\n')}\notherwise: refuse\n`;
    expect(problemsOf(many)).toContain('3:3 list-too-long');
    expect(problemsOf('x'.repeat(1_000_001))).toEqual(['1:1 too-long']);
    expect(problemsOf(`form: 1\nrules: ${'['.repeat(5_000)}`).length).toBeGreaterThan(0);
    expect(
      problemsOf(`form: 1\nrules: ${'['.repeat(200)}${']'.repeat(200)}\notherwise: refuse\n`).some((one) =>
        one.endsWith('too-deep'),
      ),
    ).toBe(true);
    const bomb = `a: &a [x]\n${Array.from({ length: 9 }, (_, i) => `b${i}: [${`*a, `.repeat(9)}x]`).join('\n')}`;
    expect(problemsOf(bomb).length).toBeGreaterThan(0);
    fc.assert(fc.property(fc.string({ unit: 'binary', maxLength: 200 }), (text) => void readRulebook(text)));
    fc.assert(fc.property(fc.jsonValue(), (value) => void readRulebook(stringify(value))));
  }, 60_000);
});
