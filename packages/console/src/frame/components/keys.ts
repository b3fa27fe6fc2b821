import type { Answer, Catalogue, Sent } from '@nimble-latch/api';

/** What browsers are asked for, and what they answer, taken over byte by byte: not all of them read and write JSON themselves. */

type Creation = Answer<'webauthn.begin'>['publicKey'];
type Request = NonNullable<NonNullable<Answer<'signIns.show'>['prompt']>['publicKey']>;
export type MadeKey = Sent<'webauthn.prove', 'body'>['credential'];
export type UsedKey = NonNullable<Sent<'console.prove', 'body'>['credential']>;

/** A browser's refusal, as people are told it. */
export class KeyTrouble extends Error {
  readonly trouble: keyof Catalogue['keyTroubles'];
  constructor(trouble: keyof Catalogue['keyTroubles']) {
    super(trouble);
    this.trouble = trouble;
  }
}

/** DOMException names of WebAuthn Level 3 §5.1.3 and §5.1.4. One of them stands for many causes, so that pages cannot tell them apart. */
const TROUBLES: Readonly<Record<string, keyof Catalogue['keyTroubles']>> = {
  NotAllowedError: 'cancelled',
  AbortError: 'cancelled',
  InvalidStateError: 'known',
  SecurityError: 'place',
  NotSupportedError: 'unfit',
  ConstraintError: 'unfit',
};

function fromBase64url(text: string): Uint8Array<ArrayBuffer> {
  const plain = atob(text.replace(/-/g, '+').replace(/_/g, '/'));
  return Uint8Array.from(plain, (one) => one.charCodeAt(0));
}
function toBase64url(bytes: ArrayBuffer): string {
  const plain = Array.from(new Uint8Array(bytes), (one) => String.fromCharCode(one)).join('');
  return btoa(plain).replace(/\+/g, '-').replace(/\//g, '_').replace(/=+$/, '');
}
const described = (all: Request['allowCredentials']): PublicKeyCredentialDescriptor[] =>
  all.map(({ type, id, transports }) => ({
    type,
    id: fromBase64url(id),
    transports: transports as AuthenticatorTransport[],
  }));

/** Whether this browser, at this address, knows keys at all. */
export const knowsKeys = (): boolean => window.isSecureContext && 'PublicKeyCredential' in window;

async function asking(ask: () => Promise<Credential | null>): Promise<PublicKeyCredential> {
  if (!knowsKeys()) throw new KeyTrouble('unsupported');
  try {
    return (await ask()) as PublicKeyCredential;
  } catch (error) {
    throw new KeyTrouble((error instanceof DOMException ? TROUBLES[error.name] : undefined) ?? 'cancelled');
  }
}

const common = (credential: PublicKeyCredential) => ({
  id: credential.id,
  rawId: toBase64url(credential.rawId),
  type: 'public-key' as const,
  authenticatorAttachment: (credential.authenticatorAttachment as 'platform' | 'cross-platform' | null) ?? null,
  clientExtensionResults: { ...credential.getClientExtensionResults() } as Record<string, unknown>,
});

/** Makes a new key in whatever the person takes out. Throws a {@link KeyTrouble}. */
export async function makeKey(options: Creation): Promise<MadeKey> {
  const { user, challenge, excludeCredentials, authenticatorSelection, ...rest } = options;
  const { authenticatorAttachment, ...selection } = authenticatorSelection;
  const credential = await asking(() =>
    navigator.credentials.create({
      publicKey: {
        ...rest,
        user: { ...user, id: fromBase64url(user.id) },
        challenge: fromBase64url(challenge),
        excludeCredentials: described(excludeCredentials),
        authenticatorSelection: {
          ...selection,
          ...(authenticatorAttachment ? { authenticatorAttachment } : {}),
        },
      },
    }),
  );
  const response = credential.response as AuthenticatorAttestationResponse;
  return {
    ...common(credential),
    response: {
      clientDataJSON: toBase64url(response.clientDataJSON),
      attestationObject: toBase64url(response.attestationObject),
      transports: response.getTransports(),
    },
  };
}

/** Whether this browser offers passkeys beneath a field, beside what it has kept of names. */
export const offersBeneathField = async (): Promise<boolean> =>
  // eslint-disable-next-line @typescript-eslint/no-unnecessary-condition -- older browsers lack it
  knowsKeys() && ((await PublicKeyCredential.isConditionalMediationAvailable?.()) ?? false);

/**
 * Has a key answer. Throws a {@link KeyTrouble}.
 *
 * @param how beneath a field instead of at once; and what calls it off
 */
export async function useKey(
  options: Request,
  how: Pick<CredentialRequestOptions, 'mediation' | 'signal'> = {},
): Promise<UsedKey> {
  const { challenge, allowCredentials, extensions, ...rest } = options;
  const credential = await asking(() =>
    navigator.credentials.get({
      ...how,
      publicKey: {
        ...rest,
        ...(extensions ? { extensions } : {}),
        challenge: fromBase64url(challenge),
        allowCredentials: described(allowCredentials),
      },
    }),
  );
  const response = credential.response as AuthenticatorAssertionResponse;
  return {
    ...common(credential),
    response: {
      clientDataJSON: toBase64url(response.clientDataJSON),
      authenticatorData: toBase64url(response.authenticatorData),
      signature: toBase64url(response.signature),
      ...(response.userHandle === null ? {} : { userHandle: toBase64url(response.userHandle) }),
    },
  };
}
