import { createHash, webcrypto } from 'node:crypto';
import { codeAt, readPicture, type Account } from '../phone/code.js';
import { makeBrowserKeys, opened, type BrowserKeys } from '../push-service/message.js';
import { ScreenLock } from './screen-lock.js';

/**
 * A phone that approves, from docs/push-protocol.md and nothing else: it makes its key, follows a link, asks what waits for it, and answers.
 */

/** What a phone is asked, as the service tells it. */
export interface PhoneRequest {
  readonly id: string;
  readonly kind: 'test' | 'sign-in';
  readonly challenge: string;
  readonly asksNumber: boolean;
  readonly application: string | null;
  readonly network: string | null;
  readonly browser: string | null;
  readonly at: string;
  readonly until: string;
}

export interface PhoneAsked {
  readonly now: string;
  readonly organisation: string;
  readonly person: string;
  readonly state: string;
  /** What to subscribe for at a push service, and whether the service can wake this phone. */
  readonly waking: { readonly key: string; readonly state: 'none' | 'ready' | 'gone' };
  /** How its holder is verified; null where that is not asked for. */
  readonly unlock: { readonly rpId: string; readonly credential: string | null; readonly required: boolean } | null;
  readonly requests: readonly PhoneRequest[];
  /** Which page the service serves. */
  readonly page: string | null;
  readonly answered: readonly { readonly application: string | null; readonly said: string; readonly at: string }[];
}

type Member = string | number | null | readonly string[] | { readonly [name: string]: Member };

/** What the service answered in place of what was asked for (RFC 9457). */
export class PhoneRefused extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
  ) {
    super(code);
  }
}

const base64url = (bytes: ArrayBuffer | Uint8Array | string): string =>
  Buffer.from(bytes as Uint8Array).toString('base64url');

/** JSON whose members stand in the order of their names, without spaces; enough for what is said here (RFC 8785). */
function canonical(value: Member): string {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return JSON.stringify(value);
  const object = value as Readonly<Record<string, Member>>;
  const members = Object.keys(object).sort();
  return `{${members.map((name) => `${JSON.stringify(name)}:${canonical(object[name]!)}`).join(',')}}`;
}

const P256 = { name: 'ECDSA', namedCurve: 'P-256' };

/** All that makes a phone the same one again; its screen lock is not kept. */
export interface KeptPhone {
  readonly installation: string;
  readonly service: string;
  readonly device: string;
  readonly key: webcrypto.JsonWebKey;
  /** Of its codes, where it has any. */
  readonly keyUri?: string;
}

export class PocketPhone {
  /** Seconds that its clock is off. */
  clockOff = 0;
  /** What verifies its holder, once it has been set up to. */
  lock: ScreenLock | undefined;
  #lockMade = false;
  /** Codes for when it has no network, where the service made a key for them. */
  codes: Account | undefined;
  #codesNeeded = 0;
  #keyUri: string | undefined;
  #woken: { readonly keys: BrowserKeys; readonly messages: string } | undefined;

  private constructor(
    readonly installation: string,
    private readonly service: string,
    private readonly keys: webcrypto.CryptoKeyPair,
    readonly device: string,
  ) {}

  /**
   * Follows a link, as a phone does that reads its picture.
   *
   * @param service where it talks to, where that is not the address in the link
   */
  static async follow(
    link: string,
    service = new URL(link).origin,
  ): Promise<{ readonly phone: PocketPhone; readonly asked: PhoneAsked }> {
    const { origin, hash } = new URL(link);
    // It is kept in a file, where the page of the product keeps it from everybody.
    const keys = await webcrypto.subtle.generateKey(P256, true, ['sign', 'verify']);
    const blank = new PocketPhone(origin, service, keys, '');
    const { kty, crv, x, y } = await webcrypto.subtle.exportKey('jwk', keys.publicKey);
    const token = await blank.signed('enrol', { code: hash.slice(1) }, { jwk: { kty: kty!, crv: crv!, x: x!, y: y! } });
    const asked = (await blank.post('/phones', token)) as PhoneAsked & {
      readonly device: string;
      readonly codes: { readonly keyUri: string; readonly codesNeeded: number } | null;
    };
    const phone = new PocketPhone(origin, service, keys, asked.device);
    if (asked.codes) {
      phone.#show(asked.codes.keyUri);
      phone.#codesNeeded = asked.codes.codesNeeded;
    }
    return { phone, asked };
  }

  /** The phone that was kept. */
  static async again({ installation, service, device, key, keyUri }: KeptPhone): Promise<PocketPhone> {
    const { d: _, ...half } = key;
    const [privateKey, publicKey] = await Promise.all([
      webcrypto.subtle.importKey('jwk', { ...key, key_ops: ['sign'] }, P256, true, ['sign']),
      webcrypto.subtle.importKey('jwk', { ...half, key_ops: ['verify'] }, P256, true, ['verify']),
    ]);
    const phone = new PocketPhone(installation, service, { privateKey, publicKey }, device);
    phone.#show(keyUri);
    return phone;
  }

  #show(keyUri: string | undefined): void {
    this.#keyUri = keyUri;
    this.codes = keyUri === undefined ? undefined : readPicture(keyUri);
  }

  async keep(): Promise<KeptPhone> {
    const key = await webcrypto.subtle.exportKey('jwk', this.keys.privateKey);
    const codes = this.#keyUri === undefined ? {} : { keyUri: this.#keyUri };
    return { installation: this.installation, service: this.service, device: this.device, key, ...codes };
  }

  /** The same phone, which reaches the service elsewhere. */
  at(service: string): PocketPhone {
    const same = new PocketPhone(this.installation, service, this.keys, this.device);
    same.lock = this.lock;
    same.#lockMade = this.#lockMade;
    return same;
  }

  /** Its screen lock is to verify its holder with each approval; with its first answer, and never later. */
  useLock({ unlock }: Pick<PhoneAsked, 'unlock'>): ScreenLock {
    if (!unlock) throw new Error('the service cannot verify the holder of this phone');
    return (this.lock = new ScreenLock(unlock.rpId, this.installation));
  }

  /** Asks what waits for it. @param page which page of the service it is to be taken for */
  async fetch(page?: string): Promise<PhoneAsked> {
    const payload = { dev: this.device, ...(page === undefined ? {} : { page }) };
    return (await this.post('/phones/requests', await this.signed('fetch', payload))) as PhoneAsked;
  }

  /** Answers a request. @returns what the service made of it: `taken`, `wrong-number`, `locked`, `same-browser` or `over` */
  async answer(
    request: Pick<PhoneRequest, 'id' | 'challenge'>,
    decision: 'approve' | 'deny' | 'not-me',
    number?: string,
  ): Promise<string> {
    const outcome = await this.send(await this.answerFor(request, decision, number));
    if (outcome === 'taken' && decision === 'approve') {
      if (this.lock) this.#lockMade = true;
      this.#codesNeeded = 0;
    }
    return outcome;
  }

  /** The signed answer, without sending it. */
  async answerFor(
    { id, challenge }: Pick<PhoneRequest, 'id' | 'challenge'>,
    decision: string,
    number?: string,
    more: Readonly<Record<string, Member>> = {},
  ): Promise<string> {
    const said = {
      ...this.common(),
      dev: this.device,
      req: id,
      challenge,
      decision,
      ...(number === undefined ? {} : { number }),
      ...(this.codes && this.#codesNeeded > 0 ? { codes: this.#proving(this.codes) } : {}),
      ...more,
    };
    if (!this.lock || decision !== 'approve' || 'unlock' in more) return await this.signed('answer', said);
    const hash = createHash('sha256').update(canonical(said)).digest();
    return await this.signed('answer', {
      ...said,
      unlock: this.#lockMade ? this.lock.used(hash) : this.lock.made(hash),
    });
  }

  /** The latest codes, in their order. */
  #proving(codes: Account): readonly string[] {
    const at = Date.now() + this.clockOff * 1_000;
    const ago = Array.from({ length: this.#codesNeeded }, (_, i) => this.#codesNeeded - 1 - i);
    return ago.map((steps) => codeAt(codes, at - steps * codes.seconds * 1_000).code);
  }

  /** What every message says. */
  private common() {
    return { v: 1, aud: this.installation, iat: Math.floor(Date.now() / 1000) + this.clockOff };
  }

  async send(token: string): Promise<string> {
    return ((await this.post('/phones/answers', token)) as { outcome: string }).outcome;
  }

  /** Subscribes at a push service, and says so. @returns where the push service takes messages for it */
  async subscribe(pushService: string): Promise<string> {
    const { waking } = await this.fetch();
    const made = await fetch(`${pushService}/subscriptions`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ key: waking.key }),
    });
    const { endpoint, messages } = (await made.json()) as { endpoint: string; messages: string };
    const keys = makeBrowserKeys();
    await this.sayHowToWake({ endpoint, p256dh: base64url(keys.p256dh), auth: base64url(keys.auth) });
    this.#woken = { keys, messages };
    return endpoint;
  }

  async sayHowToWake(subscription: Readonly<Record<'endpoint' | 'p256dh' | 'auth', string>> | null): Promise<void> {
    await this.post('/phones/subscriptions', await this.signed('subscribe', { dev: this.device, sub: subscription }));
  }

  /** What woke it since it looked last, opened. */
  async wokenBy(): Promise<readonly string[]> {
    if (!this.#woken) return [];
    const { keys, messages } = this.#woken;
    const kept = ((await (await fetch(messages)).json()) as { messages: readonly { body: string }[] }).messages;
    return kept.map(({ body }) => opened(Buffer.from(body, 'base64url'), keys).toString());
  }

  /** A compact JWS (RFC 7515 §7.1) by this phone's key. */
  async signed(
    kind: string,
    payload: Readonly<Record<string, Member>>,
    header: Readonly<Record<string, Member>> = {},
  ): Promise<string> {
    const head = canonical({ alg: 'ES256', typ: `nlatch-push-${kind}+jws`, ...header });
    const body = canonical({ ...this.common(), ...payload });
    const input = `${base64url(Buffer.from(head))}.${base64url(Buffer.from(body))}`;
    const signature = await webcrypto.subtle.sign(
      { name: 'ECDSA', hash: 'SHA-256' },
      this.keys.privateKey,
      Buffer.from(input),
    );
    return `${input}.${base64url(new Uint8Array(signature))}`;
  }

  private async post(path: string, token: string): Promise<unknown> {
    const response = await fetch(`${this.service}/api/v1${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ token }),
    });
    const answer = (await response.json()) as { code?: string };
    if (!response.ok) throw new PhoneRefused(response.status, answer.code ?? '');
    return answer;
  }
}
