/** The rulebook of the port: what was published, and what somebody is drafting. */

const FIRST = `# Who is asked for what in the Port of Wexmoor. The first rule that applies decides.
form: 1

rules:
  # The day that everything else fails.
  - rule: Emergency accounts
    who: { groups: [emergency] }
    then: let in

  # Not every administrator has a second factor yet.
  - rule: The console
    at: { applications: [Console] }
    then: { ask whoever has one: [password + totp, password + hotp, webauthn(verified)] }

  # The plan is open all day, on the same screens, and can be approved on a phone. A pass of the help desk is in the place of what was left at home.
  - rule: Berth plans
    at: { applications: [Berth Planner] }
    then: { ask for: [password + totp, password + hotp, webauthn(verified), password + push, password + pass] }
    remember browser: 14 days

otherwise: { ask for level: 2 }
`;

const ABROAD = `  - rule: Nobody from abroad at the desks
    at: { applications: [Remote Desk VPN] }
    from: { not countries: [GB] }
    state: on trial until {today + 30}
    then: refuse

`;

const WAGES = `  # A broken hand cannot type six digits in thirty seconds; a pass of the help desk has no hurry.
  - rule: Wages
    at: { applications: [Payroll] }
    except:
      - person: yara.duarte
        reason: broken hand
        until: {today + 21}
        instead: { ask for: [password + totp, password + pass] }
    then: { ask for: [password + totp, password + hotp, webauthn(verified)] }

`;

const SAFER_WAGES = `  # After the letters that looked like ours: nothing that can be typed into a false page.
  - rule: Wages
    at: { applications: [Payroll] }
    except:
      - { person: yara.duarte, reason: broken hand, until: {today + 21}, instead: { ask for: [password + pass] } }
    then: ask for phishing-resistant

`;

const withRules = (...rules: readonly string[]) => FIRST.replace('otherwise:', `${rules.join('')}otherwise:`);

/** The earliest first, with the minutes before now at which each was published. */
export const PUBLISHED = [
  { text: FIRST, message: 'Two factors everywhere', before: 61 * 24 * 60 },
  { text: withRules(ABROAD, WAGES), message: 'Payroll by name; a trial of refusing the desks from abroad', before: 25 },
] as const;

/** Begun, and not to be published as it is: nobody has anything phishing-resistant yet. */
export const DRAFTED = { text: withRules(ABROAD, SAFER_WAGES), before: 15 } as const;

/** Fills in days that are so many days on. */
export const onDay = (text: string, nowMs: number): string =>
  text.replace(/\{today \+ (\d+)\}/g, (_, days: string) =>
    new Date(nowMs + Number(days) * 86_400_000).toISOString().slice(0, 10),
  );
