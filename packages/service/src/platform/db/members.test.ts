import fc from 'fast-check';
import { createServer, type Server } from 'node:net';
import { pino } from 'pino';
import { afterEach, describe, expect, it } from 'vitest';
import { readConfig } from '../config.js';
import { Lookout, nameOf, standingOf } from './members.js';
import { DatabasePulse } from './pulse.js';

const synced = {
  wsrep_cluster_status: 'Primary',
  wsrep_ready: 'ON',
  wsrep_local_state: '4',
  wsrep_local_state_comment: 'Synced',
  wsrep_cluster_size: '3',
  wsrep_local_recv_queue: '7',
};
const standing = (more: Partial<typeof synced>) => standingOf(new Map(Object.entries({ ...synced, ...more })));

describe('how a member of a cluster stands', () => {
  it('serves while it is in the part that decides, ready, and keeps up', () => {
    expect(standing({})).toEqual({ state: 'serves', cluster: { size: 3, waiting: 7, state: 'Synced' } });
  });

  it.each([
    [{ wsrep_cluster_status: 'non-Primary' }, 'cut off'],
    [{ wsrep_ready: 'OFF', wsrep_local_state: '1', wsrep_local_state_comment: 'Joining' }, 'Joining'],
    [{ wsrep_local_state: '2', wsrep_local_state_comment: 'Donor/Desynced' }, 'Donor/Desynced'],
  ])('is not ready otherwise, and says why: %j', (more, why) => {
    expect(standing(more)).toMatchObject({ state: 'not-ready', why });
  });

  it('is nothing to rely on where it says nothing', () => {
    expect(standingOf(new Map()).state).toBe('not-ready');
  });
});

describe('the list of members', () => {
  const env = { NLATCH_MASTER_KEY_FILE: '/nonexistent' };
  const membersOf = (hosts: string) => readConfig({ ...env, NLATCH_DATABASE_HOSTS: hosts }).database.members;

  it('is read in its order, by name, address and port', () => {
    expect(membersOf('db1.wexmoor.example, 10.0.0.2:3307,[2001:db8::7]:3308,[::1]')).toEqual([
      { host: 'db1.wexmoor.example', port: 3306 },
      { host: '10.0.0.2', port: 3307 },
      { host: '2001:db8::7', port: 3308 },
      { host: '::1', port: 3306 },
    ]);
  });

  it('comes back from how members are named', () => {
    const host = fc.oneof(fc.domain(), fc.ipV4(), fc.ipV6());
    fc.assert(
      fc.property(host, fc.integer({ min: 1, max: 65_535 }), (host, port) => {
        expect(membersOf(nameOf({ host, port }))).toEqual([{ host, port }]);
      }),
    );
  });

  it.each([
    [{ NLATCH_DATABASE_HOSTS: 'db1:3306;db2' }, /NLATCH_DATABASE_HOSTS.*: expected host:port/],
    [{ NLATCH_DATABASE_HOSTS: 'db1:99999' }, /NLATCH_DATABASE_HOSTS.*: expected host:port/],
    [{ NLATCH_DATABASE_HOSTS: 'db1,db2,DB1' }, /names a member twice/],
    [{ NLATCH_DATABASE_HOSTS: 'db1', NLATCH_DATABASE_HOST: 'db2' }, /are both set/],
  ])('that cannot be meant is refused: %j', (given, says) => {
    expect(() => readConfig({ ...env, ...given })).toThrow(says);
  });

  it('is one server where only that is named', () => {
    expect(readConfig({ ...env, NLATCH_DATABASE_HOST: 'db', NLATCH_DATABASE_PORT: '3307' }).database.members).toEqual([
      { host: 'db', port: 3307 },
    ]);
  });
});

describe('looking for a member', () => {
  const servers: Server[] = [];
  afterEach(() => {
    for (const server of servers.splice(0)) server.close();
  });
  let calls = 0;
  const listening = async (): Promise<number> =>
    await new Promise((resolve) => {
      // Takes calls and never says a word.
      const server = createServer(() => (calls += 1)).listen(0, '127.0.0.1', () =>
        resolve((server.address() as { port: number }).port),
      );
      servers.push(server);
    });

  it('ends where none answers, whether they refuse the call or take it and hang, all asked at once', async () => {
    const members = [
      { host: '127.0.0.1', port: await listening() },
      { host: '127.0.0.1', port: await listening() },
      { host: '127.0.0.1', port: 1 },
    ];
    const pulse = new DatabasePulse(members, { user: 'nobody' }, pino({ level: 'silent' }));
    calls = 0;
    const found = pulse.find();
    // Neither waits for the other's patience to end.
    await expect.poll(() => calls).toBe(2);
    expect(await found).toBe(false);
    expect(pulse.silent).toBe(true);
    expect(pulse.members.map(({ standing, inUse }) => [standing.state, inUse])).toEqual([
      ['silent', false],
      ['silent', false],
      ['silent', false],
    ]);
    await pulse.stop();
  });

  it('that several ask about at once is called once', async () => {
    calls = 0;
    const member = { host: '127.0.0.1', port: await listening() };
    const lookout = new Lookout(member, { user: 'nobody' }, 3_000);
    const asked = Promise.all([lookout.ask(), lookout.ask(), lookout.ask()]);
    await expect.poll(() => calls).toBe(1);
    lookout.close();
    expect((await asked).map(({ state }) => state)).toEqual(['silent', 'silent', 'silent']);
    expect(calls).toBe(1);
  });
});
