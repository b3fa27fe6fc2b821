import type { Claim, PromptKind, Reason } from '@nimble-latch/core/vocabulary';
import type { z } from 'zod';
import type { RouteId } from '../paths.js';
import type { proofBody, signIn } from '../routes/signins.js';
import type { Sent } from '../routes/index.js';

/**
 * What somebody who connects an application reads of a sign-in: every form of a prompt and how it is answered, every reason and what to
 * do then, every claim, every way to name a person. Each kind has an entry, or this does not compile; each example is of the contract,
 * or a test fails.
 */

type Prompt = NonNullable<z.input<typeof signIn>['prompt']>;
type Proof = z.input<typeof proofBody>;

export interface PromptForm {
  /** What the person is to be asked for. */
  readonly what: string;
  /** As the sign-in has it. */
  readonly prompt: Prompt;
  /** What is sent to `…/proofs`. */
  readonly proof: Proof;
}

/** What a browser answers is long; this much tells its form. */
const CREDENTIAL = {
  id: 'dGhlLWlkLW9mLWEta2V5',
  rawId: 'dGhlLWlkLW9mLWEta2V5',
  type: 'public-key' as const,
  authenticatorAttachment: 'cross-platform' as const,
  clientExtensionResults: {},
  response: {
    clientDataJSON: 'eyJ0eXBlIjoid2ViYXV0aG4uZ2V0In0',
    authenticatorData: 'AAECAwQFBgc',
    signature: 'MEUCIQDx',
    userHandle: 'b3BhcXVl',
  },
};

const REQUEST = {
  challenge: 'q83vEjRWeJCrze8SNFZ4kKvN7xI0VniQ',
  timeout: 120_000,
  rpId: 'wexmoor.example',
  allowCredentials: [{ type: 'public-key' as const, id: 'dGhlLWlkLW9mLWEta2V5', transports: ['usb', 'nfc'] }],
  userVerification: 'preferred' as const,
};

export const PROMPT_FORMS: Readonly<Record<PromptKind, PromptForm>> = {
  password: {
    what: 'Their password.',
    prompt: { kind: 'password', methods: ['password'], others: [] },
    proof: { kind: 'password', value: 'harbour lights at dawn' },
  },
  code: {
    what: 'A code from one of the methods named: an app, a hardware token, a list of recovery codes, a temporary pass. Where the token has a PIN, the PIN and the code in one, in that order.',
    prompt: {
      kind: 'code',
      methods: ['totp', 'hotp'],
      others: [{ kind: 'webauthn', methods: ['webauthn'] }],
    },
    proof: { kind: 'code', value: '314159' },
  },
  'next-code': {
    what: 'The code that the token shows after the one before: it was right, but so far ahead that chance has to be ruled out.',
    prompt: { kind: 'next-code', methods: ['hotp'], others: [] },
    proof: { kind: 'next-code', value: '271828' },
  },
  webauthn: {
    what: 'A passkey or security key. Hand `publicKey` to the browser (PublicKeyCredential.parseRequestOptionsFromJSON, then navigator.credentials.get) and send what toJSON() of its answer gives. The page has to be at one of the origins of the application.',
    prompt: {
      kind: 'webauthn',
      methods: ['webauthn'],
      others: [{ kind: 'code', methods: ['totp'] }],
      publicKey: REQUEST,
    },
    proof: { kind: 'webauthn', credential: CREDENTIAL },
  },
  wait: {
    what: 'Nothing is typed here: their phone is asked. Show `number`, where there is one; the phone asks for it. Ask again with `seconds`, or listen to `…/events`.',
    prompt: { kind: 'wait', methods: ['push'], others: [{ kind: 'code', methods: ['totp'] }], number: '47' },
    proof: { kind: 'wait', seconds: 25 },
  },
  choose: {
    what: 'Which of several ways they want to go: show `methods`. The same answer asks, at any prompt, for one of its `others`.',
    prompt: {
      kind: 'choose',
      methods: ['totp', 'webauthn'],
      others: [],
    },
    proof: { kind: 'choose', value: 'totp' },
  },
  'new-pin': {
    what: 'A new PIN for the token that was just proved, typed twice on your page and sent once.',
    prompt: { kind: 'new-pin', methods: ['hotp'], others: [] },
    proof: { kind: 'new-pin', value: '274951' },
  },
  'new-password': {
    what: 'A new password, where it has to be changed before they go on.',
    prompt: { kind: 'new-password', methods: ['password'], others: [] },
    proof: { kind: 'new-password', value: 'three gulls over the mole' },
  },
  text: {
    what: 'What `text` says, by itself: the PIN of a token whose code was right.',
    prompt: { kind: 'text', methods: ['hotp'], others: [], text: 'pin' },
    proof: { kind: 'text', value: '274951' },
  },
};

/** What an application does when it reads one. */
export const REASON_ADVICE: Readonly<Record<Reason, string>> = {
  proved: 'Let them in.',
  'wrong-proof': 'Ask again: the prompt stands. It is not told what was wrong.',
  'too-many-attempts': 'It has ended. Tell them to wait a moment, and begin anew.',
  throttled: 'Not looked at before `retryAt`: show when, and keep what was typed.',
  'no-usable-authenticator':
    'They hold nothing that could prove it. Bring them to `enrolAt`, where that is told; else to their help desk.',
  'prompt-not-carried':
    'What is asked is none of the kinds that `carries` said you can show: show more kinds, or send them to our pages.',
  'refused-by-rule': 'A rule refuses it. Trying again changes nothing; the help desk sees which rule.',
  'password-must-change': 'Say `new-password` in `carries`, or send them to our pages, where it is asked for.',
  'pin-must-change': 'Say `new-pin` in `carries`, or send them to our pages, where it is asked for.',
  grace: 'Let them in, and tell them that they have to enrol by `graceUntil`, at `enrolAt`.',
  cancelled: 'It was given up, here or on the phone.',
  'phone-asked': 'Go on waiting: their phone has not answered yet.',
  denied: 'They said no on their phone. Do not ask it again by yourself.',
  'not-answered': 'No phone answered in time; one of the `others` can be asked for.',
  expired: 'It took too long. Begin anew.',
};

export interface ClaimForm {
  readonly what: string;
  /** Where it stands in what is sent. */
  readonly example: NonNullable<Sent<'signIns.begin', 'body'>['claims']>;
}

export const CLAIM_FORMS: Readonly<Record<Claim, ClaimForm>> = {
  'password-checked': {
    what: 'You have checked their password yourself: it is not asked for again.',
    example: { passwordChecked: true },
  },
  'source-address': {
    what: 'Where they are, as you see it: rules go by networks, and what is tried from there is counted there.',
    example: { sourceAddress: '10.1.4.27' },
  },
  browser: {
    what: 'What they sit at: its User-Agent.',
    example: { browser: 'Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/128.0' },
  },
  risk: { what: 'How risky you hold it, from 0 to 1; it counts beside what we notice.', example: { risk: 0.4 } },
  unlock: {
    what: 'They unlock a screen where they are signed in already: rules that ask once a session do not ask.',
    example: { unlock: true },
  },
};

/** How a person is named when a sign-in begins, and how one comes back. */
export const PERSON_FORMS: readonly { readonly what: string; readonly example: object }[] = [
  {
    what: 'Any of their login names, as they typed it; case and width do not matter.',
    example: { loginName: 'ines.marlow' },
  },
  { what: 'One that is written as a mail address.', example: { loginName: 'ines.marlow@wexmoor.example' } },
  { what: 'One with a domain before it.', example: { loginName: 'WEX\\imarlow' } },
  {
    what: 'Nobody: a key says who it is. Ask for an offer first (POST /sign-ins/offer), and send what the key answered.',
    example: { byKey: { ceremony: 'as the offer has it', credential: CREDENTIAL } },
  },
  {
    what: 'In an answer, once they are let in: their id, which never changes, and what they are called, which may. Null before that, whoever it may be.',
    example: { person: { id: '01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11', displayName: 'Ines Marlow' } },
  },
];

const STANDS = {
  id: '01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11',
  retryAt: null,
  expiresAt: '2026-11-23T08:05:00.000Z',
  ignoredClaims: [],
  person: null,
  way: null,
  amr: [],
  graceUntil: null,
  enrolAt: null,
};

export interface Example {
  readonly title: string;
  readonly body?: object;
  readonly answer?: object;
}

/** Calls as they are made, with what comes back. */
export const EXAMPLES: Readonly<Partial<Record<RouteId, readonly Example[]>>> = {
  'signIns.begin': [
    {
      title: 'A person types their login name',
      body: {
        loginName: 'ines.marlow',
        carries: ['password', 'code', 'webauthn', 'wait'],
        claims: { sourceAddress: '10.1.4.27' },
      },
      answer: { ...STANDS, state: 'asking', reason: null, prompt: PROMPT_FORMS.password.prompt },
    },
    {
      title: 'You have checked their password already',
      body: { loginName: 'WEX\\imarlow', claims: { passwordChecked: true } },
      answer: { ...STANDS, state: 'asking', reason: null, prompt: PROMPT_FORMS.code.prompt },
    },
  ],
  'signIns.prove': [
    {
      title: 'The code was right',
      body: PROMPT_FORMS.code.proof,
      answer: {
        ...STANDS,
        state: 'let-in',
        prompt: null,
        reason: 'proved',
        person: { id: '01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11', displayName: 'Ines Marlow' },
        way: 'password + totp',
        amr: ['pwd', 'otp', 'mfa'],
      },
    },
    {
      title: 'It was not: the same is asked again',
      body: { kind: 'code', value: '000000' },
      answer: { ...STANDS, state: 'asking', reason: 'wrong-proof', prompt: PROMPT_FORMS.code.prompt },
    },
    {
      title: 'Waiting for a phone',
      body: PROMPT_FORMS.wait.proof,
      answer: { ...STANDS, state: 'asking', reason: 'phone-asked', prompt: PROMPT_FORMS.wait.prompt },
    },
    {
      title: 'They hold nothing that would do',
      body: PROMPT_FORMS.password.proof,
      answer: {
        ...STANDS,
        state: 'enrol-first',
        prompt: null,
        reason: 'no-usable-authenticator',
        enrolAt: 'https://latch.wexmoor.example/enrol?application=01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11',
      },
    },
  ],
  'people.add': [
    {
      title: 'Somebody new',
      body: {
        displayName: 'Nell Harrow',
        loginNames: ['nell.harrow', 'WEX\\nharrow'],
        mail: 'nell.harrow@wexmoor.example',
        phone: '+44 20 7946 0123',
        timeZone: 'Europe/London',
      },
    },
  ],
  'invitationRounds.begin': [
    {
      title: 'A passkey for everybody of a group who has none, by mail',
      body: { who: { filter: { coverage: 'weak' } }, methods: ['webauthn'], via: 'mail', expect: 12 },
    },
  ],
};
