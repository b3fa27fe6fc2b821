import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { changesBetween, editRulebook, readRulebook, type Rule, type Rulebook } from './index.js';

const read = (text: string): Rulebook => {
  const { rulebook, problems } = readRulebook(text);
  if (!rulebook) throw new Error(JSON.stringify(problems));
  return rulebook;
};

describe('the text of a rulebook', () => {
  it('keeps every byte of what an edit does not touch, however it is typed', () => {
    const rules = [
      "  # The tower's   own.\n  - rule:   Tower      # three shifts\n    at:   {applications:   [Vessel Traffic]}\n    then: let in\n",
      '\n\n  # Gloves\n  # and winter\n\n  -\n    rule: "Quay"\n    then:\n        ask for:\n          - password+hotp\n          - \'webauthn(verified)\'\n    # to be looked at in spring\n',
      '  - { rule: Desks, then: { ask for level: 2 } }   # in one line\n',
      '\n  - rule: >-\n      Long\n      name\n    then: refuse\n',
    ];
    const head = '# Port of Wexmoor\nform:   1\n\nrules:\n';
    const tail = '  # nothing below\n\n# whoever is left\notherwise:  {ask for level:   2}   # at least\n# end\n';
    const text = head + rules.join('') + tail;
    const spare = read('form: 1\nrules: [{ rule: New, then: let in }]\notherwise: refuse\n').rules[0]!;
    const found = read(text).rules;
    for (const at of rules.keys()) {
      const put = editRulebook(text, {
        kind: 'put',
        at,
        rule: { ...found[at]!, then: { kind: 'let-in' }, rememberDays: 5 },
      });
      const inserted = editRulebook(text, { kind: 'insert', at, rule: spare });
      const moved = editRulebook(text, { kind: 'move', at, to: (at + 2) % 4 });
      for (const [i, rule] of rules.entries()) {
        // Blank lines above the first rule are all that may come or go.
        if (i !== at)
          for (const after of [put, inserted, moved]) expect(after, `${at} ${i}`).toContain(rule.trimStart());
        expect(inserted).toContain(rule.trimStart());
      }
      for (const after of [put, inserted, moved]) {
        expect(after.startsWith(head)).toBe(true);
        expect(after.endsWith(tail)).toBe(true);
      }
      expect(editRulebook(moved, { kind: 'move', at: (at + 2) % 4, to: at }).replace(/\n+/g, '\n')).toBe(
        text.replace(/\n+/g, '\n'),
      );
    }
    const otherwise = editRulebook(text, { kind: 'otherwise', outcome: { kind: 'level', level: 3 } });
    expect(otherwise).toBe(text.replace('{ask for level:   2}', '{ask for level: 3}'));
    // With the line ends of another system, and rules at the margin.
    const other =
      'form: 1\r\nrules:\r\n- rule: A # a\r\n  then:   let in\r\n- rule: B\r\n  then: refuse\r\notherwise: refuse\r\n';
    const edited = editRulebook(other, { kind: 'insert', at: 2, rule: spare });
    expect(edited).toContain('- rule: A # a\r\n  then:   let in\r\n- rule: B\r\n  then: refuse\r\n');
    expect(read(edited).rules.map(({ name }) => name)).toEqual(['A', 'B', 'New']);
  });
});

describe('what changes between two rulebooks', () => {
  const rule = (name: string, then = 'refuse', more = ''): string => `  - { rule: ${name}, then: ${then}${more} }\n`;
  const book = (rules: readonly string[], otherwise = 'refuse') =>
    read(`form: 1\nrules:\n${rules.join('')}otherwise: ${otherwise}\n`);
  const told = (before: Rulebook, after: Rulebook) =>
    changesBetween(before, after).map((one) => {
      const named =
        'after' in one && one.what !== 'otherwise' ? one.after.name : one.what === 'removed' ? one.before.name : '';
      return `${one.what} ${named} ${'from' in one ? one.from : ''}${'to' in one ? `→${one.to}` : ''}`.trim();
    });
  const [a, b, c, d] = ['A', 'B', 'C', 'D'].map((name) => rule(name)) as [string, string, string, string];

  it('is told rule by rule, by what it means', () => {
    const before = book([a, b, c]);
    expect(told(before, book([`  # only a comment\n${a}`, '\n', b, c]))).toEqual([]);
    expect(told(before, book([a, rule('B', 'let in'), c]))).toEqual(['changed B →1']);
    expect(told(before, book([c, a, b]))).toEqual(['moved C 2→0']);
    expect(told(before, book([a, b, d, c]))).toEqual(['added D →2']);
    expect(told(before, book([a, c]))).toEqual(['removed B 1']);
    expect(told(before, book([a, rule('Bee', 'refuse', ', state: resting'), c]))).toEqual([
      'added Bee →1',
      'removed B 1',
    ]);
    expect(told(book([a, rule('B', 'let in'), c]), book([a, rule('Bee', 'let in'), c]))).toEqual(['renamed Bee →1']);
    expect(told(before, book([a, b, c], 'let in'))).toEqual(['otherwise']);
    expect(told(before, book([c, rule('A', 'let in')]))).toEqual(['changed A →1', 'moved A 0→1', 'removed B 1']);
  });

  it('is nothing for the same, and everything that is told makes the one into the other', () => {
    const rules = fc.uniqueArray(fc.record({ name: fc.constantFrom(...'ABCDEFGH'), lets: fc.boolean() }), {
      selector: ({ name }) => name,
      maxLength: 8,
    });
    const bookOf = (all: readonly { name: string; lets: boolean }[]): Rulebook => ({
      otherwise: { kind: 'refuse' },
      rules: all.map(({ name, lets }): Rule => ({
        name,
        state: { kind: 'in-force' },
        conditions: name === 'A' ? {} : { riskAtLeast: name.charCodeAt(0) / 100 },
        except: [],
        then: { kind: lets ? 'let-in' : 'refuse' },
        rememberDays: 0,
        oncePerSession: false,
      })),
    });
    fc.assert(
      fc.property(rules, rules, (one, other) => {
        const [before, after] = [bookOf(one), bookOf(other)];
        expect(changesBetween(before, before)).toEqual([]);
        const changes = changesBetween(before, after);
        // What stays in its order, with what is new and what moved put where it is said to be.
        const gone = new Set(changes.flatMap((change) => (change.what === 'removed' ? change.before.name : [])));
        const placed = new Map(
          changes.flatMap((change) =>
            change.what === 'added' || change.what === 'moved' ? [[change.after.name, change] as const] : [],
          ),
        );
        const made = before.rules.filter(({ name }) => !gone.has(name) && !placed.has(name));
        for (const change of [...placed.values()].sort((x, y) => x.to - y.to)) made.splice(change.to, 0, change.after);
        const changed = new Map(
          changes.flatMap((change) => (change.what === 'changed' ? [[change.after.name, change.after] as const] : [])),
        );
        expect(made.map((one_) => changed.get(one_.name) ?? one_)).toEqual(after.rules);
      }),
    );
  });
});
