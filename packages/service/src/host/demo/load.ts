import { writeFileSync } from 'node:fs';
import type { Id } from '@nimble-latch/core/vocabulary';
import { ROUTES, type Answer, type RouteId, type RouteSpec, type Sent } from '@nimble-latch/api';
import { UNLOCK_AT } from '@nimble-latch/core/throttle';
import { buildApp } from '../app.js';
import { served } from '../areas.js';
import { endAccess } from '../../areas/access/end.js';
import { issueAccessToken } from '../../areas/access/access-tokens.js';
import { selectOne, write } from '../../platform/db/sql.js';
import { inTransaction } from '../../platform/db/unit-of-work.js';
import type { Deps } from '../../platform/deps.js';
import { entryOf, type OperatorActor } from '../../platform/http/actors.js';
import { loadDisputes } from './disputes.js';
import { loadInvitations } from './invitations.js';
import { loadKeys, type CallOf } from './keys.js';
import { loadPasses } from './passes.js';
import { addSilentPhone, loadPhones, SILENT } from './phones.js';
import { loadStock } from './stock.js';
import { setPassword } from '../../areas/keyring/set-password.js';
import { createLogger } from '../../platform/log/logger.js';
import { insertPerson } from '../../areas/people/add-person.js';
import { keepCounts } from '../../areas/people/counts.js';
import { readLoginName } from '../../areas/people/login-names.js';
import { StartError } from '../runtime.js';
import { BUILT_PAGES } from '../serve.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import { addResident, bulkLoad, loadTrail } from './bulk.js';
import { addPlayed, HISTORY_DAYS, MOST_PLAYED, play, rotaOf, type Appointment, type DemoPlace } from './history.js';
import { population, type Resident } from './population.js';
import { DRAFTED, onDay, PUBLISHED } from './rulebooks.js';
import {
  APPLICATIONS,
  DEMO_PASSWORD,
  DEMO_PEOPLE,
  DOMAIN,
  EMERGENCY,
  ADMINISTRATORS,
  GROUPS,
  NETWORKS,
  WHOLE_GROUPS,
  ORGANISATION,
  OWNER,
  seededRandom,
  type GroupName,
} from './world.js';
import { roleGrants } from '../../areas/access/role-grant.model.js';

const DAY = 86_400_000;
/** Up to this many people the trail tells how each was added; beyond, it would be all that the demo is about. */
const MOST_WITNESSED = 10_000;

/**
 * Fills an empty installation with the past weeks of a port. Settings, groups, applications and the last sign-ins go
 * through the service's own interface; people, keyrings and the sign-ins of the past weeks are bulk loads of rows that
 * the core made, so that the same world can be made at any size.
 *
 * @param people how many, the owner and the emergency account among them
 */
export async function loadDemo(real: Deps, people = DEMO_PEOPLE, fobsFile?: string): Promise<string> {
  if (await selectOne(real, 'SELECT 1 AS one FROM persons LIMIT 1'))
    throw new StartError('There are people here already; the demo is for an empty installation.');
  const today = Math.floor(real.now().getTime() / 60_000) * 60_000;
  const clock = { at: today - (HISTORY_DAYS + 3) * DAY, live: false };
  const deps: Deps = { ...real, now: () => new Date(clock.at), log: createLogger('silent') };
  const app = await buildApp(deps, await served(), BUILT_PAGES);
  const random = seededRandom(7_041);
  const ownerToken = await makeOwner(deps);

  async function call<R extends RouteId>(
    route: R,
    given: { params?: Sent<R, 'params'>; query?: string; body?: Sent<R, 'body'>; token?: string; ifMatch?: number },
  ): Promise<Answer<R>> {
    const spec: RouteSpec = ROUTES[route];
    clock.at = clock.live
      ? Math.max(clock.at + 1, real.now().getTime())
      : clock.at + 1_000 + Math.floor(random() * 20_000);
    const response = await app.inject({
      method: spec.method,
      url: `/api/v1${spec.path.replace(/\{(\w+)\}/g, (_, name: string) => (given.params as Record<string, string>)[name]!)}${given.query ? `?${given.query}` : ''}`,
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
    return response.json<Answer<R>>();
  }

  const settings = await call('settings.show', {});
  await call('settings.edit', {
    body: { ...settings.settings, organisation: ORGANISATION },
    ifMatch: settings.version,
  });
  const groups = new Map<GroupName, Id>();
  for (const group of GROUPS) groups.set(group.name, (await call('groups.add', { body: group })).id);
  const wholes = new Map<string, Id>(groups);
  for (const { parts, ...whole } of WHOLE_GROUPS) {
    const { id } = await call('groups.add', { body: whole });
    for (const part of parts) await call('groups.addPart', { params: { id, partId: wholes.get(part)! } });
    wholes.set(whole.name, id);
  }
  for (const { ranges, ...network } of NETWORKS)
    await call('networks.add', { body: { ...network, ranges: [...ranges] } });
  const apps = new Map<string, string>();
  const places = new Map<string, DemoPlace>();
  for (const { name, description, connect } of APPLICATIONS) {
    const { id } = await call('applications.add', { body: { name, description } });
    if (!connect) continue;
    const issued = await call('connections.add', {
      params: { id },
      body: { scopes: [...connect.scopes], claims: [...connect.claims] },
    });
    if (name === 'Vessel Traffic') await giveOrigin(call, id);
    apps.set(name, issued.key!);
    places.set(name, { applicationId: id, connectionId: issued.connection.id });
  }

  const ownerId = (await call('session.show', {})).person.id;
  const byOwner = {
    actor: { kind: 'person', personId: ownerId } as OperatorActor,
    origin: '127.0.0.1',
  };
  const passwordHash = await setPassword.prepare(deps, DEMO_PASSWORD, []);
  const now = new Date(today);
  const residents = [...population(people - 2, random)];
  const witnessed = residents.length <= MOST_WITNESSED;
  let signIns = 0;
  await bulkLoad(real, async (bulk) => {
    const entries: { at: Date; entry: NewEntry }[] = [];
    const tell = (at: Date, more: number, entry: NewEntry) =>
      void entries.push({ at: new Date(at.getTime() + more), entry });
    const begin = clock.at + 60_000;
    const span = 2 * DAY;
    for (const [i, who] of [EMERGENCY_RESIDENT, ...residents].entries()) {
      // Enrolled one after the other in the first two days, as a roll-out goes.
      const at = new Date(begin + Math.floor((i / (residents.length + 1)) * span));
      const appointments =
        i <= MOST_PLAYED ? rotaOf(who, now, random).filter((one) => one.at.getTime() > begin + span) : [];
      const lastSeen =
        i <= MOST_PLAYED
          ? letInLast(who, appointments)
          : who.held === 'password and app' && !who.leaver
            ? new Date(today - Math.floor(random() ** 3 * 150 * DAY))
            : undefined;
      const loaded = await addResident(real, bulk, who, groups.get(who.group)!, passwordHash, at, lastSeen);
      if (who.displayName === SILENT) entries.push(...(await addSilentPhone(real, bulk, loaded, at, byOwner)));
      if (witnessed) {
        const subject = { person: loaded.id };
        tell(
          at,
          0,
          entryOf(
            byOwner,
            'person.added',
            { kind: 'person', id: loaded.id },
            { ...subject, details: { loginNames: 2 } },
          ),
        );
        tell(at, 1_000, entryOf(byOwner, 'group.joined', { kind: 'group', id: groups.get(who.group)! }, subject));
        if (loaded.password)
          tell(at, 2_000, entryOf(byOwner, 'password.set', { kind: 'authenticator', id: loaded.password }, subject));
        if (loaded.app) {
          const target = { kind: 'authenticator', id: loaded.app.id };
          tell(at, 3_000, entryOf(byOwner, 'authenticator.begun', target, { ...subject, details: { method: 'totp' } }));
          tell(at, 40_000, entryOf(byOwner, 'authenticator.proved', target, { ...subject, details: { codes: 1 } }));
        }
        if (who.leaver)
          tell(
            new Date(today - Math.floor(random() * 20 * DAY) - DAY),
            0,
            entryOf(byOwner, 'person.deactivated', { kind: 'person', id: loaded.id }, subject),
          );
      }
      for (const { at: when, application } of appointments) {
        const wrongs = loaded.app && random() < 0.06 ? 1 + Math.floor(random() * 2) : 0;
        const played = play(loaded, places.get(application)!, application === 'Remote Desk VPN', when, random, wrongs);
        entries.push(...(await addPlayed(real, bulk, played)));
        signIns += 1;
      }
    }
    await bulk.flush();
    await loadTrail(real, bulk, entries);
  });
  // Something that needs a hand: an app that was tried too often to be tried again, a pilot who forgot the password, and somebody trying a name that nobody has. These sign-ins go the
  // whole way through the service.
  await write(
    real,
    `UPDATE authenticators SET stranger_failures = :failures, stranger_paused_until = :until
     WHERE method = 'totp' AND person_id = (SELECT person_id FROM login_names WHERE value = 'maelle.corin')`,
    { failures: UNLOCK_AT, until: new Date(today - 3 * 3_600_000) },
  );
  const publish = async (version: (typeof PUBLISHED)[number]) => {
    clock.at = today - version.before * 60_000;
    await draft(version.text);
    await call('rulebook.publish', { body: { message: version.message, lockedOut: 0 } });
  };
  await publish(PUBLISHED[0]);
  const fobs = await loadStock(deps, call, clock, today, groups.get('quay-crew')!, random);
  // All invented, and of this demo alone.
  if (fobsFile !== undefined) writeFileSync(fobsFile, JSON.stringify(fobs), { mode: 0o600 });
  const keys = await loadKeys(deps, call, clock, today);
  clock.at = today - 40 * DAY;
  await appoint();
  await publish(PUBLISHED[1]);
  const invited = await loadInvitations(deps, call, clock, today, groups);
  clock.at = today - DRAFTED.before * 60_000;
  await draft(DRAFTED.text);
  clock.at = today - 20 * 60_000;
  await tryInVain('piran.tallack');
  clock.at = today - 12 * 60_000;
  await tryInVain('harbourmaster');
  clock.live = true;
  await loadPhones(deps, call, groups, apps.get('Berth Planner')!, idOf);
  await call('session.end', {});
  await app.close();
  await keepCounts(real);
  return `Loaded the ${ORGANISATION}: ${residents.length + 2} people, ${GROUPS.length + WHOLE_GROUPS.length} groups, ${APPLICATIONS.length} applications, ${fobs.length} hardware tokens, ${keys} keys, ${invited} people invited, ${signIns} sign-ins of the past ${HISTORY_DAYS} days. Everybody's password is "${DEMO_PASSWORD}".`;

  async function draft(text: string): Promise<void> {
    const { version } = await call('rulebookDraft.show', {});
    await call('rulebookDraft.save', { body: { text: onDay(text, today) }, ifMatch: version });
  }

  async function idOf(name: string): Promise<Id | undefined> {
    const loginName = name.toLowerCase().replace(' ', '.');
    return (await call('people.list', { query: `loginName=${loginName}` })).rows[0]?.id;
  }

  /** Roles and the emergency account: a lone owner asks, waits out the time, and does it. */
  async function appoint(): Promise<void> {
    const afterWaiting = async (doing: () => Promise<unknown>) => {
      await doing().catch((error: unknown) => {
        if (!String(error).includes('signature-needed')) throw error;
      });
      clock.at += 61 * 60_000;
      await doing();
    };
    const emergency = await idOf(EMERGENCY.loginName);
    await afterWaiting(
      async () => await call('people.markEmergency', { params: { id: emergency! }, body: { emergency: true } }),
    );
    for (const { name, role, within } of ADMINISTRATORS) {
      const id = await idOf(name);
      const limit = within.length > 0 ? within.map((group) => wholes.get(group)!) : null;
      if (id)
        await afterWaiting(async () => await call('roles.grant', { params: { id, role }, body: { groups: limit } }));
    }
    const desk = await idOf('Kit Marrable');
    if (desk) {
      const { token } = await inTransaction(
        deps,
        async (work) => await issueAccessToken(deps, work, desk, 'desk', 31 * 24 * 60, null),
      );
      const plannerKey = apps.get('Berth Planner')!;
      await loadPasses(call, clock, today, { deskToken: token, plannerKey }, idOf);
      clock.at = today - 55 * 60_000;
      await inTransaction(deps, async (work) => void (await endAccess(deps, work, [desk])));
    }
    await loadDisputes(deps, call, clock, today, idOf);
    // What is asked for now waits for the second owner.
    const asked = await idOf('Gunnar Eide');
    clock.at = today - 50 * 60_000;
    if (asked)
      await call('roles.grant', { params: { id: asked, role: 'custodian' }, body: { groups: null } }).catch(
        (error: unknown) => {
          if (!String(error).includes('signature-needed')) throw error;
        },
      );
  }

  /** Somebody who never gets it right. */
  async function tryInVain(loginName: string): Promise<void> {
    const token = apps.get('Berth Planner')!;
    const { id } = await call('signIns.begin', {
      token,
      body: { loginName, claims: { sourceAddress: '198.51.100.20' } },
    });
    for (let tries = 0; tries < 6; tries++)
      await call('signIns.prove', {
        token,
        params: { id },
        body: { kind: 'password', value: 'harbour lights at dusk' },
      }).catch((error: unknown) => {
        // The sign-in ends with the last try that it allows.
        if (!String(error).includes('sign-in-ended')) throw error;
      });
  }
}

/** Without a factor every try ends before anybody is let in. */
function letInLast(who: Resident, appointments: readonly Appointment[]): Date | undefined {
  return who.held === 'password and app' ? appointments.at(-1)?.at : undefined;
}

const EMERGENCY_RESIDENT: Resident = {
  ...EMERGENCY,
  domainName: `wex\\${EMERGENCY.loginName}`,
  group: 'emergency',
  held: 'password and app',
  leaver: false,
  serial: null,
  shift: 0,
};

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
    await roleGrants(work).create(
      { personId: id, role: 'owner', grantedAt: work.now },
      { transaction: work.transaction },
    );
    await setPassword.store(deps, work, id, phc, 'password');
    for (const action of ['set-up.completed', 'person.added', 'role.granted', 'password.set'] as const)
      await work.trail({
        actor: { kind: 'host', id: null },
        action,
        target: { kind: 'person', id },
        person: id,
        origin: null,
        reason: null,
        details: action === 'role.granted' ? { role: 'owner' } : {},
      });
    // Long enough for the days that the demo plays, which lie in the past.
    return (await issueAccessToken(deps, work, id, 'demo', (HISTORY_DAYS + 4) * 24, null)).token;
  });
}

/** Its own pages ask for keys. */
async function giveOrigin(call: CallOf, id: Id): Promise<void> {
  const { version } = await call('applications.show', { params: { id } });
  const origins = ['https://vessel-traffic.wexmoor.example'];
  await call('applications.setOrigins', { params: { id }, body: { origins }, ifMatch: version });
}
