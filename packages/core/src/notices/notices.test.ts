import { describe, expect, it } from 'vitest';
import { NOTICE_KINDS } from '../vocabulary.js';
import { effectOfDispute } from './index.js';

describe('what is set aside when somebody says that a change was not them', () => {
  it('is what was added or altered; what was taken away is told, and what nobody did cannot be disputed', () => {
    const by = (effect: string | null) => NOTICE_KINDS.filter((kind) => effectOfDispute(kind) === effect);
    expect(by(null)).toEqual(['authenticator.expired']);
    expect(by('withdrawn')).toEqual(['invitation.printed', 'invitation.merged']);
    expect(by('told')).toEqual([
      'authenticator.suspended',
      'authenticator.revoked',
      'authenticator.renamed',
      'authenticator.preferred',
      'pass.withdrawn',
      'contact.changed',
      'signed-out',
    ]);
    // All else gives somebody a way in that they did not have.
    expect(by('suspended')).toHaveLength(NOTICE_KINDS.length - 10);
  });
});
