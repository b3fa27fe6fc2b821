import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ruleLines } from './rule-lines.js';

describe('the lines of each rule', () => {
  it('are those from its dash to its last word', () => {
    const text = [
      'form: 1',
      '# all of them',
      'rules:',
      '  - rule: A',
      '    who:',
      '      people:',
      '        - ines.marlow',
      '    then: let in',
      '',
      '  # the second',
      '  - rule: B',
      '    then: refuse',
      'otherwise:',
      '  - nothing',
    ].join('\n');
    expect(ruleLines(text)).toEqual([
      [4, 8],
      [11, 12],
    ]);
  });

  it('are found where a list stands as deep as its key, and where nothing follows', () => {
    expect(ruleLines('rules:\n- rule: A\n  then: refuse\n- rule: B')).toEqual([
      [2, 3],
      [4, 4],
    ]);
  });

  it.each(['', 'form: 1', 'rules: []\notherwise: refuse', 'rules:\notherwise: refuse', '- rule: A'])(
    'are none in %j',
    (text) => expect(ruleLines(text)).toEqual([]),
  );

  it('stand in order, apart and within the text, whatever is typed', () => {
    const line = fc.constantFrom(
      'rules:',
      '  - rule: A',
      '    then: refuse',
      '',
      '# x',
      'otherwise:',
      '- a',
      '      - b',
      '  -',
    );
    fc.assert(
      fc.property(fc.array(line, { maxLength: 20 }), (lines) => {
        let before = 0;
        for (const [from, to] of ruleLines(lines.join('\n'))) {
          expect(from).toBeGreaterThan(before);
          expect(to).toBeGreaterThanOrEqual(from);
          expect(to).toBeLessThanOrEqual(lines.length);
          expect(lines[from - 1]).toMatch(/^\s*-/);
          before = to;
        }
      }),
    );
  });
});
