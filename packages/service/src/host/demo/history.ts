import type { Usable } from '@nimble-latch/core/assurance';
import { advance, beginSignIn, type Event, type Requirement, type SignIn } from '@nimble-latch/core/signin';
import type { OperatorReason, Id } from '@nimble-latch/core/vocabulary';
import type { Deps } from '../../platform/deps.js';
import { entryOf } from '../../platform/http/actors.js';
import { trailEntryOf } from '../../areas/signins/trail-sign-in.js';
import { signInColumns, type StoredSignIn } from '../../areas/signins/stored.js';
import type { NewEntry } from '../../platform/trail/writer.js';
import { idAt, type BulkLoad, type Loaded } from './bulk.js';
import { hourOf, presence, type Resident } from './population.js';
import type { GroupName } from './world.js';

const DAY = 86_400_000;
export const HISTORY_DAYS = 60;
/** People whose sign-ins are played at most: history shows a rhythm, not a load. */
export const MOST_PLAYED = 400;

/** Where people of a group sign in, the first most often. */
const PLACES: Record<GroupName, readonly string[]> = {
  'harbour-control': ['Vessel Traffic', 'Vessel Traffic', 'Berth Planner'],
  pilots: ['Berth Planner'],
  'quay-crew': ['Berth Planner'],
  'customs-desk': ['Berth Planner', 'Remote Desk VPN'],
  'port-offices': ['Payroll', 'Berth Planner', 'Remote Desk VPN'],
  contractors: ['Remote Desk VPN'],
  emergency: [],
};

export interface DemoPlace {
  readonly applicationId: Id;
  readonly connectionId: Id;
}

/** A sign-in that is still to be written. */
interface Played {
  readonly at: Date;
  readonly ended: Date;
  readonly place: DemoPlace;
  readonly personId: Id;
  readonly source: string;
  readonly vpn: boolean;
  readonly signIn: SignIn;
  readonly wrongs: readonly { at: Date; why: OperatorReason }[];
}

/** One sign-in that is to come. */
export interface Appointment {
  readonly at: Date;
  readonly application: string;
}

/** When somebody signs in over the past days, relative to now, by the rhythm of their work; the earliest first. */
export function rotaOf(who: Resident, now: Date, random: () => number): Appointment[] {
  const places = PLACES[who.group];
  if (who.held === 'nothing' || who.leaver || places.length === 0) return [];
  // Who has nothing but a password tried once or twice, was told to enrol, and has not done so yet.
  const share = who.held === 'password and app' ? 1 : 0.025;
  const times: Appointment[] = [];
  for (let back = HISTORY_DAYS; back >= 0; back--) {
    const day = Math.floor(now.getTime() / DAY) * DAY - back * DAY;
    if (random() >= presence(who, new Date(day).getUTCDay()) * share) continue;
    const at = new Date(day + hourOf(who, random) * 3_600_000 + Math.floor(random() * 60_000));
    if (at.getTime() < now.getTime() - 120_000)
      times.push({ at, application: places[Math.floor(random() * places.length)]! });
  }
  return times.sort((a, b) => a.at.getTime() - b.at.getTime());
}

/** What decided since the port's first rulebook was published. */
const BY_FIRST_VERSION: Requirement = { version: 1, rule: null, trial: null, outcome: { kind: 'level', level: 2 } };
const VOUCHED = { method: 'password', id: null, carrier: null, can: [] } as const;

/** Plays one sign-in through the state machine: what stands in its row is what the service would have written. */
export function play(
  one: Loaded,
  place: DemoPlace,
  vpn: boolean,
  at: Date,
  random: () => number,
  wrongCodes: number,
): Played {
  const held = (id: Id, method: Usable['method']): Usable => ({
    id,
    method,
    carrier: method === 'password' ? null : `phone of ${id}`,
    can: [],
    preferred: false,
  });
  const [password, app] = [one.password && held(one.password, 'password'), one.app && held(one.app.id, 'totp')];
  const keyring = [password, app].filter((item) => item !== undefined);
  let now = at.getTime();
  const later = (least: number, more: number) => (now += least + Math.floor(random() * more));
  let signIn = beginSignIn(BY_FIRST_VERSION, keyring, ['password', 'code'], now);
  const wrongs: { at: Date; why: OperatorReason }[] = [];
  const tell = (event: Event) => {
    signIn = advance(signIn, event, now);
  };
  if (vpn) tell({ type: 'right', proof: VOUCHED, keyring, claimed: true });
  else {
    later(3_000, 9_000);
    if (random() < 0.05) {
      tell({ type: 'wrong', method: 'password', authenticator: one.password!, why: 'wrong-password' });
      wrongs.push({ at: new Date(now), why: 'wrong-password' });
      later(4_000, 8_000);
    }
    tell({ type: 'right', proof: held(one.password!, 'password'), keyring });
  }
  for (let i = 0; i < wrongCodes && signIn.state === 'asking'; i++) {
    later(6_000, 15_000);
    const why = random() < 0.7 ? 'wrong-code' : 'code-already-used';
    tell({ type: 'wrong', method: 'totp', authenticator: one.app!.id, why });
    wrongs.push({ at: new Date(now), why });
  }
  if (signIn.state === 'asking') {
    later(6_000, 20_000);
    tell({ type: 'right', proof: held(one.app!.id, 'totp'), keyring });
  }
  const source = vpn
    ? `203.0.113.${10 + ((one.who.loginName.length * 7) % 40)}`
    : `198.51.100.${20 + (one.who.group.length % 4)}`;
  return { at, ended: new Date(now), place, personId: one.id, source, vpn, signIn, wrongs };
}

/** Adds the row of a played sign-in, and answers what it left on the trail. */
export async function addPlayed(deps: Deps, bulk: BulkLoad, played: Played): Promise<{ at: Date; entry: NewEntry }[]> {
  const id = idAt(deps, played.at);
  const { applicationId, connectionId } = played.place;
  const stored: StoredSignIn = {
    id,
    applicationId,
    connectionId,
    personId: played.personId,
    decoyId: null,
    displayName: null,
    emergency: false,
    lastSeenAt: null,
    walkedBy: null,
    sourceAddress: played.source,
    browser: null,
    risk: null,
    claims: played.vpn ? ['password-checked', 'source-address'] : ['source-address'],
    ignoredClaims: [],
    version: 1 + played.wrongs.length + (played.signIn.proofs.length || 1),
    begunAt: played.at,
    endedAt: played.ended,
    signIn: played.signIn,
  };
  await bulk.add('sign_ins', { ...signInColumns(stored), version: stored.version });
  const driver = {
    actor: { kind: 'application', applicationId, connectionId, keyId: connectionId, scopes: [], claims: [] } as const,
    origin: '127.0.0.1',
  };
  const wrongs = played.wrongs.map(({ at, why }) => ({
    at,
    entry: {
      ...entryOf(
        driver,
        'sign-in.proof-failed',
        { kind: 'application', id: applicationId },
        { person: played.personId },
      ),
      reason: why,
      details: { signIn: id, sourceAddress: played.source },
    },
  }));
  return [...wrongs, { at: played.ended, entry: trailEntryOf(driver, stored) }];
}
