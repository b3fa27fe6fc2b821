import { ROUTES, type Answer, type RouteId, type RouteSpec, type Sent } from '@nimble-latch/api';
import { totp } from '@nimble-latch/core/codes';
import { parseKeyUri, type KeyUri } from '@nimble-latch/core/keyuri';
import { buildApp } from '../app.js';
import { issueAccessToken } from '../access/access-tokens.js';
import { insert, selectOne } from '../db/sql.js';
import { inTransaction } from '../db/unit-of-work.js';
import type { Deps } from '../deps.js';
import { key } from '../ids.js';
import { setPassword } from '../keyring/set-password.js';
import { insertPerson } from '../people/add-person.js';
import { readLoginName } from '../people/login-names.js';
import { CONSOLE_DIR } from '../serve.js';
import { createLogger } from '../log/logger.js';
import { StartError } from '../runtime.js';
import {
  APPLICATIONS,
  DEMO_PASSWORD,
  DOMAIN,
  GROUPS,
  ORGANISATION,
  OWNER,
  PEOPLE,
  seededRandom,
  type GroupName,
} from './world.js';

const DAY = 86_400_000;
const HISTORY_DAYS = 7;

/**
 * Fills an empty installation through its own interface, at times in the past week: so every row of it, trail
 * included, is what the service itself would have written.
 */
export async function loadDemo(real: Deps): Promise<string> {
  if (await selectOne(real, 'SELECT 1 AS one FROM persons LIMIT 1'))
    throw new StartError('There are people here already; the demo is for an empty installation.');
  const today = Math.floor(real.now().getTime() / 60_000) * 60_000;
  const clock = { at: today - HISTORY_DAYS * DAY };
  const deps: Deps = { ...real, now: () => new Date(clock.at), log: createLogger('silent') };
  const app = await buildApp(deps, CONSOLE_DIR);
  const random = seededRandom(7_041);
  const ownerToken = await makeOwner(deps);

  async function call<R extends RouteId>(
    route: R,
    given: { params?: Sent<R, 'params'>; body?: Sent<R, 'body'>; token?: string; ifMatch?: number },
  ): Promise<Answer<R>> {
    const spec: RouteSpec = ROUTES[route];
    clock.at += 1_000 + Math.floor(random() * 20_000);
    const response = await app.inject({
      method: spec.method,
      url: `/api/v1${spec.path.replace(/\{(\w+)\}/g, (_, name: string) => (given.params as Record<string, string>)[name]!)}`,
      headers: {
        authorization: `Bearer ${given.token ?? ownerToken}`,
        ...(given.ifMatch === undefined ? {} : { 'if-match': `"v${given.ifMatch}"` }),
        ...(given.body === undefined ? {} : { 'content-type': 'application/json' }),
      },
      remoteAddress: '127.0.0.1',
      ...(given.body === undefined ? {} : { payload: JSON.stringify(given.body) }),
    });
    if (response.statusCode >= 300)
      throw new Error(`${route}: ${response.statusCode} ${response.json<{ code: string }>().code}`);
    return response.json() as Answer<R>;
  }

  const settings = await call('settings.show', {});
  await call('settings.edit', {
    body: { ...settings.settings, organisation: ORGANISATION },
    ifMatch: settings.version,
  });
  const groups = new Map<GroupName, string>();
  for (const group of GROUPS) groups.set(group.name, (await call('groups.add', { body: group })).id);
  const apps = new Map<string, string>();
  for (const { name, description, connect } of APPLICATIONS) {
    const { id } = await call('applications.add', { body: { name, description } });
    if (connect)
      apps.set(
        name,
        (
          await call('connections.add', {
            params: { id },
            body: { scopes: [...connect.scopes], claims: [...connect.claims] },
          })
        ).key,
      );
  }

  interface Resident {
    readonly loginName: string;
    readonly group: GroupName;
    readonly app: KeyUri | undefined;
    readonly hasPassword: boolean;
  }
  const residents: Resident[] = [];
  for (const { name, group, held, leaver } of PEOPLE) {
    const loginName = name.toLowerCase().replace(' ', '.');
    const [first, last] = loginName.split('.') as [string, string];
    const { id } = await call('people.add', {
      body: {
        displayName: name,
        loginNames: [loginName, `WEX\\${first[0]}${last}`],
        mail: `${loginName}@${DOMAIN}`,
        language: 'en',
        timeZone: 'Europe/London',
      },
    });
    await call('groups.join', { params: { id: groups.get(group)!, personId: id } });
    if (held !== 'nothing') await call('people.setPassword', { params: { id }, body: { password: DEMO_PASSWORD } });
    let codes: KeyUri | undefined;
    if (held === 'password and app' || held === 'app not proven') {
      const begun = await call('totp.begin', {
        params: { id },
        body: { carrier: { kind: 'phone', label: `${name.split(' ')[0]}’s phone` } },
      });
      const parsed = parseKeyUri(begun.keyUri);
      if (!parsed.ok) throw new Error('the key URI does not read back');
      if (held === 'password and app') {
        codes = parsed.value;
        await call('totp.prove', {
          params: { id: begun.authenticator.id },
          body: { codes: [totp(codes.key, clock.at + 10_000, codes)] },
        });
      }
    }
    if (leaver) await call('people.deactivate', { params: { id } });
    residents.push({ loginName, group, app: codes, hasPassword: held !== 'nothing' });
  }

  /** One sign-in as people do them: mostly right, sometimes mistyped, sometimes given up. */
  async function signIn(who: Resident, application: string, mistakes: number): Promise<void> {
    const token = apps.get(application)!;
    const atHome = application === 'Remote Desk VPN';
    const begun = await call('signIns.begin', {
      token,
      body: {
        loginName: who.loginName,
        claims: {
          sourceAddress: atHome ? `203.0.113.${10 + (who.loginName.length % 40)}` : '198.51.100.20',
          ...(atHome ? { passwordChecked: true as const } : {}),
        },
      },
    });
    const params = { id: begun.id };
    let left = mistakes;
    let state = begun;
    while (state.state === 'asking') {
      const kind = state.prompt!.kind as 'password' | 'code';
      const right =
        kind === 'password' ? DEMO_PASSWORD : who.app ? totp(who.app.key, clock.at + 12_000, who.app) : '000000';
      const wrong = left-- > 0;
      state = await call('signIns.prove', {
        token,
        params,
        body: { kind, value: wrong ? (kind === 'password' ? 'harbour lights at dusk' : '123456') : right },
      });
      if (left < -3) return;
    }
  }

  const PLACES: Record<GroupName, readonly string[]> = {
    'harbour-control': ['Vessel Traffic', 'Berth Planner'],
    pilots: ['Berth Planner'],
    'quay-crew': ['Berth Planner'],
    'customs-desk': ['Berth Planner', 'Remote Desk VPN'],
    'port-offices': ['Payroll', 'Berth Planner', 'Remote Desk VPN'],
    contractors: ['Remote Desk VPN'],
  };
  for (let day = HISTORY_DAYS - 1; day >= 0; day--) {
    for (const who of residents) {
      const start = today - day * DAY;
      const weekend = [0, 6].includes(new Date(start).getUTCDay());
      if (!who.hasPassword || random() < (weekend && who.group !== 'harbour-control' ? 0.85 : 0.35)) continue;
      // Within the past day, so that even today's lie before now; each person signs in once a minute at most.
      clock.at = start - Math.floor((0.1 + random() * 0.85) * DAY);
      const places = PLACES[who.group];
      await signIn(
        who,
        places[Math.floor(random() * places.length)]!,
        random() < 0.18 ? 1 + Math.floor(random() * 2) : 0,
      );
    }
  }
  // Something that needs a hand: a locked-out pilot, and somebody trying a name that nobody has.
  clock.at = today - 20 * 60_000;
  const locked = residents.find((who) => who.loginName === 'piran.tallack')!;
  await signIn(locked, 'Berth Planner', 9);
  clock.at = today - 12 * 60_000;
  await signIn({ loginName: 'harbourmaster', group: 'pilots', app: undefined, hasPassword: false }, 'Berth Planner', 9);
  await call('session.end', {});
  await app.close();
  return `Loaded the ${ORGANISATION}: ${PEOPLE.length + 1} people, ${GROUPS.length} groups, ${APPLICATIONS.length} applications, a week of sign-ins. Everybody's password is "${DEMO_PASSWORD}".`;
}

async function makeOwner(deps: Deps): Promise<string> {
  const phc = await setPassword.prepare(deps, DEMO_PASSWORD, []);
  return await inTransaction(deps, async (work) => {
    const loginNames = [
      readLoginName(OWNER.loginName, 'owner'),
      readLoginName(`${OWNER.loginName.split('.')[0]}@${DOMAIN}`, 'owner'),
    ];
    const id = await insertPerson(deps, work, {
      displayName: OWNER.displayName,
      loginNames,
      mail: `${OWNER.loginName}@${DOMAIN}`,
      phone: null,
      language: 'en',
      timeZone: 'Europe/London',
      source: 'set-up',
    });
    await insert(work, 'role_grants', { personId: key(id), role: 'owner', grantedAt: work.now });
    await setPassword.store(deps, work, id, phc, 'password');
    for (const action of ['set-up.completed', 'person.added', 'role.granted', 'password.set'] as const)
      await work.trail({
        actor: { kind: 'host', id: null },
        action,
        target: { kind: 'person', id },
        person: id,
        origin: null,
        reason: null,
        details: {},
      });
    // Long enough for the days that the demo plays, which lie in the past.
    return (await issueAccessToken(deps, work, id, 'demo', (HISTORY_DAYS + 1) * 24, null)).token;
  });
}
