import type { StarterId } from '../vocabulary.js';

/** In force until somebody publishes another: what a new installation can live with on its first day. */
export const FIRST_RULEBOOK = `# As delivered: everything asks for two factors. Whoever has none is told to enrol first.
form: 1

rules:
  # Nobody has a second factor on the first day; as soon as somebody has, it is asked for.
  - rule: The console
    at: { applications: [Console] }
    then:
      ask whoever has one:
        - password + totp
        - password + hotp
        - password + push
        - password + webauthn
        - webauthn(verified)

# Enrolling something oneself asks for two factors too, since no rule names it (at: { applications: [Enrolment] }).
otherwise: { ask for level: 2 }
`;

/** Rulebooks to begin with, each named by its goal; `{today + 30}` stands for a day so many days on. */
const STARTERS = {
  'as-delivered': FIRST_RULEBOOK,
  'gently-in': `# Second factors are coming: whoever has one is asked for it, and nobody is stopped yet.
form: 1

rules:
  - rule: Emergency accounts
    who: { groups: [emergency] }
    then: let in

otherwise:
  ask whoever has one:
    - password + totp
    - password + hotp
    - password + push
    - password + webauthn
    - webauthn(verified)
`,
  'everybody-with-grace': `# Two factors everywhere. Whoever has none gets in for two weeks from when they were first asked, and is told so.
form: 1

rules:
  - rule: Emergency accounts
    who: { groups: [emergency] }
    then: let in

  - rule: Two factors, with time to enrol
    then: { ask for level: 2 }
    grace: { days: 14, last day: {today + 30} }

otherwise: { ask for level: 2 }
`,
  'administrators-phishing-resistant': `# Whoever administers proves themselves by what cannot be phished; everybody else by two factors.
form: 1

rules:
  - rule: Emergency accounts
    who: { groups: [emergency] }
    then: let in

  # On trial first: look who could not do it before it is in force.
  - rule: Administrators
    who: { roles: [owner, rulebook-editor, custodian, help-desk, auditor] }
    at: { applications: [Console] }
    state: on trial until {today + 30}
    then: ask for phishing-resistant

  - rule: The console
    at: { applications: [Console] }
    then: { ask whoever has one: [password + totp, password + push, password + webauthn, webauthn(verified)] }

otherwise: { ask for level: 2 }
`,
  'enrol-in-the-house': `# Two factors everywhere. Whoever has none yet enrols by themselves, but only where the house vouches for who is there.
form: 1

rules:
  - rule: Emergency accounts
    who: { groups: [emergency] }
    at: { not applications: [Enrolment, Password reset] }
    then: let in

  # One proof is enough here because of where it comes from. Add the network first, by the ranges of your own offices.
  - rule: Enrolling in the house
    at: { applications: [Enrolment] }
    from: { networks: [offices] }
    then: let in

  - rule: The console
    at: { applications: [Console] }
    then: { ask whoever has one: [password + totp, password + push, password + webauthn, webauthn(verified)] }

otherwise: { ask for level: 2 }
`,
} as const satisfies Record<StarterId, string>;

/** A starter with its days filled in. */
export function starterText(id: StarterId, nowMs: number): string {
  return STARTERS[id].replace(/\{today \+ (\d+)\}/g, (_, days: string) =>
    new Date(nowMs + Number(days) * 86_400_000).toISOString().slice(0, 10),
  );
}
