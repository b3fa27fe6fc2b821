import type { Answer } from '@nimble-latch/api';
import { describe, expect, it, vi } from 'vitest';

// What a browser has, and the language of words is read from.
vi.stubGlobal('localStorage', { getItem: () => 'en' });
const { canGetIn } = await import('./can-get-in.js');

type Row = Answer<'people.meets'>['rows'][number];

const row = (name: string, more: Partial<Row> = {}): Row => ({
  application: { id: `id of ${name}`, name } as Row['application'],
  outcome: 'let-in',
  asks: ['password', 'code'],
  vouches: false,
  reason: null,
  rule: null,
  serves: [],
  ...more,
});
const by = (...labels: string[]): Pick<Row, 'serves'> => ({
  serves: labels.map((label) => ({ id: label as Row['serves'][number]['id'], method: 'totp', label })),
});
const ADA = { displayName: 'Ada Quay', state: 'active' } as const;

describe('whether somebody can get in, and with what', () => {
  it('is said of all applications, with each way once', () => {
    expect(canGetIn(ADA, [row('Planner', by('App', 'Fob')), row('Payroll', by('Fob'))])).toEqual({
      tone: 'good',
      text: 'Ada Quay gets in everywhere, at 2 applications, with App or Fob.',
    });
    expect(canGetIn(ADA, [row('Planner')]).text).toBe(
      'Ada Quay gets in everywhere, at 1 application, with a password alone.',
    );
  });

  it('names where somebody does not get in, and counts what would be too long', () => {
    const outside = ['A', 'B', 'C', 'D', 'E', 'F'].map((name) =>
      row(name, { outcome: 'refused', reason: 'none-that-fits' }),
    );
    expect(canGetIn(ADA, [row('Planner', by('App')), ...outside.slice(0, 1)])).toEqual({
      tone: 'held',
      text: 'Ada Quay gets in at 1 of 2 applications, with App; not at A.',
    });
    // Of five, one more is as long as its name.
    expect(canGetIn(ADA, [row('Planner', by('App')), ...outside.slice(0, 5)]).text).toContain('A, B, C, D and E');
    expect(canGetIn(ADA, [row('Planner', by('App')), ...outside]).text).toContain('A, B, C, D and 2 more');
  });

  it('says why nowhere, each reason once, or what has to be done first', () => {
    const refused = (name: string, reason: Row['reason']) => row(name, { outcome: 'refused', reason });
    const { tone, text } = canGetIn(ADA, [refused('A', 'none-that-fits'), refused('B', 'none-that-fits')]);
    expect(tone).toBe('ended');
    expect(text).toMatch(/^Ada Quay gets in nowhere: [^,]+\.$/);
    expect(canGetIn(ADA, [row('A', { outcome: 'enrol-first' })]).text).toContain('before something is enrolled');
  });

  it('needs no look at applications where somebody is deactivated, or where there are none', () => {
    expect(canGetIn({ ...ADA, state: 'deactivated' }, [row('A')])).toEqual({
      tone: 'ended',
      text: 'Ada Quay is deactivated and gets in nowhere.',
    });
    expect(canGetIn(ADA, []).tone).toBe('held');
  });
});
