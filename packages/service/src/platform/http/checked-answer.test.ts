import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { checkedAnswer } from './checked-answer.js';

const schema = z.strictObject({
  next: z.string().nullable(),
  page: z.strictObject({ rows: z.array(z.strictObject({ id: z.uuid(), names: z.array(z.string()) })) }),
});
const row = (n: number) => ({ id: `01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a1${n}`, names: ['a'] });

describe('the check of an answer', () => {
  it('leaves an answer that fits as it is', () => {
    const answer = { next: null, page: { rows: [row(1), row(2)] } };
    expect(checkedAnswer(schema, answer)).toEqual({ answer, leftOut: [] });
  });

  it('leaves out the rows that do not fit, whatever is wrong in them, and says which', () => {
    const rows = [
      row(1),
      { ...row(2), id: 'ff' },
      row(3),
      { ...row(4), names: [1, 2] },
      { ...row(5), secret: 'never' },
    ];
    expect(checkedAnswer(schema, { next: 'x', page: { rows } })).toEqual({
      answer: { next: 'x', page: { rows: [row(1), row(3)] } },
      leftOut: ['page.rows.1', 'page.rows.3', 'page.rows.4'],
    });
  });

  it('refuses an answer that does not fit as a whole', () => {
    expect(() => checkedAnswer(schema, { next: 1, page: { rows: [row(1)] } })).toThrow();
    expect(() => checkedAnswer(schema, { next: null, page: { rows: [row(1)] }, secret: 1 })).toThrow();
  });
});
