import { describe, expect, it } from 'vitest';
import { placeOf } from './place.js';

/** The place of `|` in a text. */
const at = (text: string) => {
  const place = placeOf(text.slice(0, text.indexOf('|')));
  return place && `${place.path.join(' ')} · ${place.at} · ${place.typed}`;
};

describe('where somebody types in a rulebook’s text', () => {
  it.each([
    ['', ' · either · '],
    ['ru', ' · either · ru'],
    ['form: ', 'form · value · '],
    ['rules:\n  - ', 'rules [] · either · '],
    ['rules:\n- ', 'rules [] · either · '],
    ['rules:\n  - rule: A b', 'rules [] rule · value · A b'],
    ['rules:\n  - rule: A\n    wh', 'rules [] · either · wh'],
    ['rules:\n- rule: A\n  wh', 'rules [] · either · wh'],
    ['rules:\n  - rule: A\n    who:\n      ', 'rules [] who · either · '],
    ['rules:\n  - rule: A\n    who:\n      groups:\n        - qu', 'rules [] who groups [] · either · qu'],
    ['rules:\n  - rule: A\n    who:\n      groups:\n      - qu', 'rules [] who groups [] · either · qu'],
    ['rules:\n  - rule: A\n    who:\n      groups: [a, qu', 'rules [] who groups [] · value · qu'],
    ['rules:\n  - rule: A\n    who: { groups: [a], ', 'rules [] who · key · '],
    ['rules:\n  - rule: A\n    who: { groups: [a, "quay c', 'rules [] who groups [] · value · quay c'],
    ['rules:\n  - rule: A\n    who: { groups: [\n      a,\n      qu', 'rules [] who groups [] · value · qu'],
    ['rules:\n  - rule: A\n    who: { not groups: ', 'rules [] who not groups · value · '],
    ["rules:\n  - rule: A\n    then: { 'ask for': [password + t", 'rules [] then ask for [] · value · password + t'],
    ['rules:\n  - rule: A\n    then: refuse\n  - rule: B\n    at:\n      appl', 'rules [] at · either · appl'],
    ['rules:\n  - rule: A\n    who: { groups: [a] }\notherwise: le', 'otherwise · value · le'],
    [
      'rules:\n  - rule: A # of old\n    # said twice\n\n    except:\n      - person: i',
      'rules [] except [] person · value · i',
    ],
  ])('%j', (before, place) => {
    expect(at(`${before}|`)).toBe(place);
  });

  it('is nowhere within a comment', () => {
    expect(at('rules:\n  # who: |')).toBeUndefined();
    expect(at('form: 1 # the |')).toBeUndefined();
  });

  it('knows how much before the cursor is replaced, a quote included', () => {
    expect(placeOf('otherwise: le')?.length).toBe(2);
    expect(placeOf('rules:\n  - who: { groups: ["quay c')?.length).toBe(7);
  });

  it('is what the text before it says, whatever follows, at every place of a text', () => {
    const text =
      'form: 1\nrules:\n  - rule: A\n    who: { groups: [a, "b, c"], not roles: [owner] }\n    then: let in\n';
    for (let end = 0; end <= text.length; end++) {
      const { path, typed, length } = placeOf(text.slice(0, end))!;
      // What is replaced was typed, and what stands around it stands before it.
      expect(text.slice(end - length, end).replace(/^["']/, '')).toBe(typed);
      for (const key of path) if (key !== '[]') expect(text.slice(0, end)).toContain(key);
    }
  });
});
