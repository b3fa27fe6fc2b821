import type { Answer } from '@nimble-latch/api';
import { createClient, type Client } from '@nimble-latch/api/client';
import { PASSWORD, personWithApp, type Installation } from './installation.js';
import { assertWith, register, type Ask, type MadeCredential } from './security-key.js';

export type Begun = Answer<'own.begin'>;
export type SignIn = Begun['signIn'];
type Options = NonNullable<NonNullable<SignIn['prompt']>['publicKey']>;

/** Bytes as browsers send them. */
export const b64 = (bytes: Uint8Array): string => Buffer.from(bytes).toString('base64url');

/** What a new key says, as `toJSON` gives it. */
export function registration({
  id,
  clientDataJSON,
  attestationObject,
  transports,
}: Awaited<ReturnType<typeof register>>['answer']) {
  const response = { clientDataJSON: b64(clientDataJSON), attestationObject: b64(attestationObject), transports };
  return { id: b64(id), rawId: b64(id), type: 'public-key' as const, response, clientExtensionResults: {} };
}

/** What a key says that is used. */
export function assertion(answer: ReturnType<typeof assertWith>, clientExtensionResults: Record<string, unknown> = {}) {
  const { id, clientDataJSON, authenticatorData, signature, userHandle } = answer;
  const response = {
    clientDataJSON: b64(clientDataJSON),
    authenticatorData: b64(authenticatorData),
    signature: b64(signature),
    ...(userHandle ? { userHandle: b64(userHandle) } : {}),
  };
  return { id: b64(id), rawId: b64(id), type: 'public-key' as const, response, clientExtensionResults };
}

export const options = (signIn: SignIn): Options => signIn.prompt!.publicKey!;

/** People with keys at the pages of one installation. */
export class KeyHolders {
  constructor(
    readonly inst: Installation,
    readonly origin: string,
    readonly rpId: string,
  ) {}

  anybody(node = 0): Client {
    return createClient({ server: this.inst.nodes[node]!.url });
  }

  asked(publicKey: { challenge: string }): Ask {
    return { challenge: Buffer.from(publicKey.challenge, 'base64url'), origin: this.origin, rpId: this.rpId };
  }

  async begin(loginName: string, node = 0): Promise<Begun> {
    return await this.anybody(node).call('own.begin', { body: { place: 'enrolment', loginName } });
  }

  async prove(begun: Begun, proof: { kind: 'password' | 'code' | 'choose'; value: string }, node = 0) {
    const { id } = begun.signIn;
    return await this.anybody(node).call('own.prove', { params: { id }, body: { ...proof, handle: begun.handle } });
  }

  /** Signs in by password and code to where people enrol, and answers the right. */
  async right(loginName: string, phone: Awaited<ReturnType<typeof personWithApp>>['phone']): Promise<string> {
    const begun = await this.begin(loginName);
    await this.prove(begun, { kind: 'password', value: PASSWORD });
    return (await this.prove(begun, { kind: 'code', value: phone.next() })).right!;
  }

  /** Enrols a key; answers it with whose it is. */
  async enrolled(loginName: string, more: Partial<Parameters<typeof register>[0]> = {}) {
    const person = await personWithApp(this.inst.owner, loginName);
    return { ...person, ...(await this.another(loginName, person.phone, more)) };
  }

  /** One more key of somebody who is there. */
  async another(
    loginName: string,
    phone: Awaited<ReturnType<typeof personWithApp>>['phone'],
    more: Partial<Parameters<typeof register>[0]> = {},
    carrier: string | null = 'Gullwing Key',
  ) {
    const right = await this.right(loginName, phone);
    const body = { right, ...(carrier === null ? {} : { carrier }) };
    const begun = await this.anybody().call('own.beginWebauthn', { body });
    const made = await register({ ...this.asked(begun.publicKey), ...more });
    const { id } = begun.authenticator;
    const proved = await this.anybody().call('own.proveWebauthn', {
      params: { id },
      body: { right, credential: registration(made.answer) },
    });
    const userHandle = Buffer.from(begun.publicKey.user.id, 'base64url');
    return { key: made.credential, authenticator: id, begun, proved, userHandle };
  }

  /** Goes to the prompt that a key answers, after the password or before anything. */
  async atKey(loginName: string, first: 'password' | 'nothing', node = 0): Promise<Begun> {
    const begun = await this.begin(loginName, node);
    if (first === 'password') await this.prove(begun, { kind: 'password', value: PASSWORD });
    const { signIn } = await this.prove(begun, { kind: 'choose', value: 'webauthn' }, node);
    return { ...begun, signIn };
  }

  async answerWith(begun: Begun, key: MadeCredential, how: Partial<Parameters<typeof assertWith>[1]> = {}, node = 0) {
    const credential = assertion(assertWith(key, { ...this.asked(options(begun.signIn)), signCount: 1, ...how }));
    const { id } = begun.signIn;
    return await this.anybody(node).call('own.prove', {
      params: { id },
      body: { kind: 'webauthn', credential, handle: begun.handle },
    });
  }
}
