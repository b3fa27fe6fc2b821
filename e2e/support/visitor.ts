import type { Answer } from '@nimble-latch/api';
import * as oidc from 'openid-client';
import { expect } from 'vitest';
import { PASSWORD, type Phone } from './installation.js';

type Begun = Answer<'pages.begin'>;
type Proved = Answer<'pages.prove'>;

/** Somebody with a browser: keeps cookies as one does, and makes the calls that our sign-in page makes. */
export class Visitor {
  readonly cookies = new Map<string, string>();
  readonly #server: string;

  constructor(server: string) {
    this.#server = server;
  }

  async fetch(path: string, init: RequestInit = {}): Promise<Response> {
    const answer = await fetch(new URL(path, this.#server), {
      redirect: 'manual',
      ...init,
      headers: {
        ...(this.cookies.size > 0
          ? { cookie: [...this.cookies].map(([name, value]) => `${name}=${value}`).join('; ') }
          : {}),
        ...(init.headers as Record<string, string>),
      },
    });
    for (const line of answer.headers.getSetCookie()) {
      const [name, value] = line.split(';')[0]!.split(/=(.*)/s) as [string, string];
      expect(line).toMatch(/; Path=\/; .*HttpOnly; Secure; SameSite=Strict/);
      if (line.includes('Expires=Thu, 01 Jan 1970')) this.cookies.delete(name);
      else this.cookies.set(name, value);
    }
    return answer;
  }

  /** Follows the address of an authorization endpoint: our page with a request, or wherever else it leads. */
  async open(address: URL | string): Promise<{ request: string } | { elsewhere: URL }> {
    const answer = await this.fetch(address instanceof URL ? address.href : address);
    expect(answer.status).toBe(303);
    const to = answer.headers.get('location')!;
    return /^\/sign-in(\?language=\w\w)?#/.test(to) && !to.includes('problem=')
      ? { request: to.split('#')[1]! }
      : { elsewhere: new URL(to, this.#server) };
  }

  async post<T>(path: string, body: object): Promise<T & { code?: string }> {
    const answer = await this.fetch(`/api/v1${path}`, {
      method: 'POST',
      body: JSON.stringify(body),
      headers: { 'content-type': 'application/json' },
    });
    return (await answer.json()) as T & { code?: string };
  }

  async begin(address: URL | string, loginName?: string): Promise<Begun & { request: string }> {
    const opened = await this.open(address);
    if (!('request' in opened)) throw new Error(`sent to ${opened.elsewhere.href}`);
    return { ...(await this.beginWith(opened.request, loginName)), ...opened };
  }

  async beginWith(request: string, loginName?: string): Promise<Begun & { code?: string }> {
    return await this.post<Begun>('/pages/sign-ins', { request, ...(loginName === undefined ? {} : { loginName }) });
  }

  async prove(
    { request, signIn, handle }: { request: string; signIn: Begun['signIn']; handle: string | null },
    kind: 'password' | 'code' | 'choose' | 'new-password',
    value: string,
    remember = false,
  ): Promise<Proved & { code?: string }> {
    return await this.post<Proved>(`/pages/sign-ins/${signIn!.id}/proofs`, { request, handle, kind, value, remember });
  }

  /** The whole of it, with everything right; where the browser goes in the end. */
  async signIn(address: URL | string, loginName: string, phone: Phone, remember = false): Promise<URL> {
    const begun = await this.begin(address, loginName);
    let at: Proved = begun;
    while (at.signIn?.state === 'asking') {
      const kind = at.signIn.prompt!.kind as 'password' | 'code';
      at = await this.prove(begun, kind, kind === 'password' ? PASSWORD : phone.next(), remember);
    }
    expect(at.redirect, JSON.stringify(at.signIn)).not.toBeNull();
    return new URL(at.redirect!);
  }
}

/** An application by a general client package: what it sends people with, and what it makes of the answer. */
export class RelyingParty {
  readonly config: oidc.Configuration;
  readonly redirectUri: string;

  private constructor(config: oidc.Configuration, redirectUri: string) {
    this.config = config;
    this.redirectUri = redirectUri;
  }

  static async connect(issuer: string, clientId: string, secret: string | null, redirectUri: string) {
    const config = await oidc.discovery(
      new URL(issuer),
      clientId,
      undefined,
      secret === null ? oidc.None() : oidc.ClientSecretBasic(secret),
      { execute: [oidc.allowInsecureRequests] },
    );
    return new RelyingParty(config, redirectUri);
  }

  /** A request to sign in, and what the application keeps of it. */
  async request(more: Record<string, string> = {}, pushed = false) {
    const verifier = oidc.randomPKCECodeVerifier();
    const parameters = {
      redirect_uri: this.redirectUri,
      scope: 'openid profile',
      code_challenge: await oidc.calculatePKCECodeChallenge(verifier),
      code_challenge_method: 'S256',
      state: oidc.randomState(),
      nonce: oidc.randomNonce(),
      ...more,
    };
    const url = pushed
      ? await oidc.buildAuthorizationUrlWithPAR(this.config, parameters)
      : oidc.buildAuthorizationUrl(this.config, parameters);
    return { url, verifier, state: parameters.state, nonce: parameters.nonce };
  }

  async tokens(
    back: URL,
    { verifier, state, nonce }: Awaited<ReturnType<RelyingParty['request']>>,
  ): Promise<oidc.TokenEndpointResponse & oidc.TokenEndpointResponseHelpers> {
    return await oidc.authorizationCodeGrant(this.config, back, {
      pkceCodeVerifier: verifier,
      expectedState: state,
      expectedNonce: nonce,
      idTokenExpected: true,
    });
  }
}

/** What our page was told to say is wrong with a request to sign in. */
export function problemOf(opened: Awaited<ReturnType<Visitor['open']>>): Record<string, string> {
  if (!('elsewhere' in opened)) throw new Error('it was not refused');
  expect(opened.elsewhere.pathname).toBe('/sign-in');
  return Object.fromEntries(new URLSearchParams(opened.elsewhere.hash.slice(1)));
}
