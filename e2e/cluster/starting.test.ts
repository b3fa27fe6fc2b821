import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createKeys } from '../../packages/service/src/host/chores/keys.js';
import { readConfig } from '../../packages/service/src/platform/config.js';
import { chore, startService } from '../../scripts/lib/installation.mjs';
import { prepareOnCluster, WHOLE, type OnCluster } from '../support/cluster.js';

let on: OnCluster;

const at = async (which: number) => ({
  ...(await on.installation.environment()),
  NLATCH_DATABASE_PORT: String(on.cluster.members[which]!.port),
});

describe.runIf(WHOLE)('on three members', () => {
  beforeAll(async () => {
    on = await prepareOnCluster({ NLATCH_LOG_LEVEL: 'warn' });
  });
  afterAll(async () => await on.stop());

  it('three that migrate an empty database at once come to one schema, and none fails', async () => {
    const { name } = on.installation.database;
    const tables = async () =>
      await on.installation.sql<{ t: string; c: string }>(
        'SELECT table_name AS t, column_name AS c FROM information_schema.columns WHERE table_schema = DATABASE() ORDER BY 1, ordinal_position',
      );
    const schema = await tables();
    const steps = await on.installation.sql('SELECT name FROM schema_migrations ORDER BY name');
    await on.cluster.members[0]!.ask(`DROP DATABASE \`${name}\`; CREATE DATABASE \`${name}\` CHARACTER SET utf8mb4`);
    const said = await Promise.all([0, 1, 2].map(async (which) => await chore(await at(which), 'migrate')));
    expect(said.filter((line) => /Applied \d+ steps/.test(line)).length).toBeGreaterThan(0);
    expect(await tables()).toEqual(schema);
    expect(await on.installation.sql('SELECT name FROM schema_migrations ORDER BY name')).toEqual(steps);
    expect(await on.installation.sql('SELECT holder FROM schema_lock')).toEqual([{ holder: null }]);
    await createKeys(readConfig(await at(0)));
  });

  it('a node beside a member that is cut off waits, says what for, and starts when the member serves', async () => {
    const [alone, ...others] = on.cluster.members;
    for (const member of others) await member.stop('SIGKILL');
    await expect.poll(async () => await alone!.status('wsrep_cluster_status'), { timeout: 60_000 }).toBe('non-Primary');
    let up = false;
    let log = '';
    const env = await at(0);
    const starting = startService(env, [], (line) => void (log += line)).then((service) => {
      up = true;
      return service;
    });
    await expect.poll(() => log, { timeout: 60_000 }).toContain('no member of the database serves yet');
    expect(log).toContain('cut off');
    expect(up).toBe(false);
    await alone!.ask("SET GLOBAL wsrep_provider_options = 'pc.bootstrap=true'");
    const service = await starting;
    expect((await fetch(`${service.url}/health/ready`)).status).toBe(200);
    await service.stop();
    for (const member of others) await member.start();
  });

  it('a node is refused at once where nothing answers at any of its members, and told which they are', async () => {
    const none = { ...(await at(0)), NLATCH_DATABASE_HOST: '', NLATCH_DATABASE_HOSTS: '127.0.0.1:1,127.0.0.1:2' };
    await expect(chore(none, 'migrate')).rejects.toThrow(
      /127\.0\.0\.1:1, 127\.0\.0\.1:2 cannot be used: nothing answers/,
    );
  });
});
