import { createHash } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { parseId } from '../vocabulary-ids.js';
import {
  acrOf,
  addressProblem,
  backWithCode,
  backWithError,
  idTokenClaims,
  isVerifierOf,
  readRequest,
  type Client,
} from './index.js';

const client: Client = {
  id: parseId('01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11')!,
  kind: 'confidential',
  redirectUris: ['https://berths.wexmoor.example/in'],
  endUris: [],
  releases: ['profile'],
  claims: [],
};
// RFC 7636 appendix B.
const VERIFIER = 'dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk';
const CHALLENGE = 'E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM';
const right = {
  client_id: client.id,
  redirect_uri: client.redirectUris[0]!,
  response_type: 'code',
  scope: 'openid profile email',
  code_challenge: CHALLENGE,
  code_challenge_method: 'S256',
};
const pairs = (more: Record<string, string> = {}) => Object.entries({ ...right, ...more });

describe('a request', () => {
  it('is read with what it may have, and unknown parameters left aside', () => {
    const read = readRequest(
      pairs({ prompt: 'login', max_age: '60', acr_values: 'odd phr', display: 'wap' }),
      client,
      false,
    );
    expect(read).toMatchObject({ releases: ['profile'], anew: true, silent: false, maxAge: 60, acr: ['phr'] });
  });

  it('vouches for a password only where it was pushed, and only for somebody named', () => {
    const vouched = (more: object, pushed: boolean) =>
      readRequest(pairs({ password_checked: 'true', ...more }), client, pushed);
    expect(vouched({ login_hint: 'ines' }, false)).toMatchObject({ passwordChecked: false });
    expect(vouched({ login_hint: 'ines' }, true)).toMatchObject({ passwordChecked: true });
    expect(vouched({}, true)).toMatchObject({ kind: 'back', error: 'invalid_request' });
  });

  it('never leads anywhere but to an address that is registered, whatever stands in it', () => {
    const name = fc.constantFrom(...Object.keys(right), 'state', 'nonce', 'prompt', 'max_age', 'request', 'x');
    const pair = fc.tuple(
      name,
      fc.oneof(fc.string(), fc.constantFrom(...Object.values(right), 'none', 'https://evil.example/')),
    );
    fc.assert(
      fc.property(fc.array(pair, { maxLength: 15 }), fc.boolean(), fc.boolean(), (parameters, known, pushed) => {
        const read = readRequest(parameters, known ? client : undefined, pushed);
        const to = 'kind' in read ? (read.kind === 'back' ? read.to.redirectUri : undefined) : read.redirectUri;
        if (to === undefined) return;
        expect(known).toBe(true);
        expect(client.redirectUris).toContain(to);
        expect(parameters.filter(([one]) => one === 'redirect_uri')).toEqual([['redirect_uri', to]]);
        expect(parameters.filter(([one]) => one === 'client_id')).toEqual([['client_id', client.id]]);
        if ('kind' in read && read.kind === 'back') expect(read.description).toMatch(/^[\x20-\x7e]*$/);
      }),
      { numRuns: 2_000 },
    );
  });
});

describe('an address to go back to', () => {
  it.each([
    ['https://berths.wexmoor.example/in?x=1', undefined],
    ['http://localhost:8472/in', undefined],
    ['http://127.0.0.1/in', undefined],
    ['http://[::1]:80/in', undefined],
    ['example.wexmoor.berths:/in', undefined],
    ['http://berths.wexmoor.example/in', 'address-plain'],
    ['http://localhost.evil.example/in', 'address-plain'],
    ['https://berths.wexmoor.example/in#x', 'address-fragment'],
    ['https://berths.wexmoor.example/in#', 'address-fragment'],
    ['https://a:b@berths.wexmoor.example/', 'address-credentials'],
    ['javascript:alert(1)', 'address-scheme'],
    ['data:text/html,x', 'address-scheme'],
    ['berths:/in', 'address-scheme'],
    ['https://berths.wexmoor.example/a b', 'address'],
    ['https:\\\\berths.wexmoor.example', 'address'],
    ['/in', 'address'],
    ['', 'address'],
  ])('%s: %s', (address, problem) => expect(addressProblem(address)).toBe(problem));

  it('gets what is answered beside whatever query it has', () => {
    const to = { redirectUri: 'https://berths.wexmoor.example/in?a=b', state: 'x&y=z' };
    expect(backWithCode(to, 'c', 'https://latch.wexmoor.example')).toBe(
      'https://berths.wexmoor.example/in?a=b&code=c&state=x%26y%3Dz&iss=https%3A%2F%2Flatch.wexmoor.example',
    );
    expect(backWithError({ ...to, state: undefined }, 'access_denied', 'no', 'https://i')).not.toContain('state');
  });
});

describe('a verifier', () => {
  it('is the one of RFC 7636 appendix B, and no other meets its challenge', () => {
    expect(isVerifierOf(CHALLENGE, VERIFIER)).toBe(true);
    fc.assert(
      fc.property(fc.stringMatching(/^[\w.~-]{40,130}$/), (verifier) => {
        const challenge = createHash('sha256').update(verifier).digest('base64url');
        expect(isVerifierOf(challenge, verifier)).toBe(verifier.length >= 43 && verifier.length <= 128);
        expect(isVerifierOf(CHALLENGE, verifier)).toBe(false);
      }),
    );
  });
});

describe('acr', () => {
  const password = { method: 'password', qualifiers: [] } as const;
  const code = { method: 'totp', qualifiers: [] } as const;
  const passkey = { method: 'webauthn', qualifiers: ['verified'] } as const;
  const bound = { method: 'webauthn', qualifiers: ['verified', 'device-bound'] } as const;

  it('is the best that was reached, or the first of those asked for that was', () => {
    expect(acrOf([password], [])).toBe('level-1');
    expect(acrOf([password, code], [])).toBe('level-2');
    expect(acrOf([passkey], [])).toBe('phr');
    expect(acrOf([bound], [])).toBe('phrh');
    expect(acrOf([bound], ['level-2', 'phr'])).toBe('level-2');
    expect(acrOf([password, code], ['phr'])).toBe('level-2');
    expect(acrOf([], ['level-1'])).toBeUndefined();
  });
});

describe('an ID token', () => {
  const grant = {
    clientId: client.id,
    person: 'person',
    nonce: undefined,
    authTime: 1_000,
    acr: undefined,
    amr: ['pwd'],
    releases: [],
  };

  it('names who acts for its subject (RFC 8693 §4.1), and nobody where it is them', () => {
    expect(
      idTokenClaims({ ...grant, amr: ['delegated'], delegate: 'holder' }, 'https://latch.example', 2_000),
    ).toMatchObject({
      sub: 'person',
      act: { sub: 'holder' },
      amr: ['delegated'],
    });
    expect(idTokenClaims(grant, 'https://latch.example', 2_000)).not.toHaveProperty('act');
  });
});
