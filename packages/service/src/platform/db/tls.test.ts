import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pino } from 'pino';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createDatabase } from '../../../../../scripts/lib/installation.mjs';
import { startPrivateMariadb } from '../../../../../scripts/lib/private-mariadb.mjs';
import type { DatabaseConfig } from '../config.js';
import { connectDatabase, watchDatabase } from './connect.js';
import { selectOne } from './sql.js';

let dir: string;
let server: Awaited<ReturnType<typeof startPrivateMariadb>>;
let config: Omit<DatabaseConfig, 'tlsCaFile' | 'members'>;
const openssl = (...args: string[]) => execFileSync('openssl', args, { cwd: dir, stdio: 'pipe' });
beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'nlatch-tls-'));
  for (const ca of ['port', 'other'])
    openssl(
      'req',
      '-x509',
      '-newkey',
      'rsa:2048',
      '-nodes',
      '-keyout',
      `${ca}.key`,
      '-out',
      `${ca}.pem`,
      '-subj',
      `/CN=${ca}`,
    );
  openssl('req', '-newkey', 'rsa:2048', '-nodes', '-keyout', 'db.key', '-out', 'db.csr', '-subj', '/CN=db1');
  writeFileSync(join(dir, 'names'), 'subjectAltName = IP:127.0.0.1');
  const by = ['-CA', 'port.pem', '-CAkey', 'port.key', '-CAcreateserial', '-extfile', 'names'];
  openssl('x509', '-req', '-in', 'db.csr', '-out', 'db.pem', ...by);
  server = await startPrivateMariadb({
    dir: join(dir, 'db'),
    serverOptions: [`--ssl-cert=${dir}/db.pem`, `--ssl-key=${dir}/db.key`, '--require-secure-transport=OFF'],
  });
  const { name, user, password } = await createDatabase(server, 'over_tls');
  config = { name, user, password, connections: 2, waitSeconds: undefined };
});
afterAll(async () => {
  await server.stop();
  rmSync(dir, { recursive: true, force: true });
});

/** Whether a member is found, and by what cipher it is spoken with. */
async function reached(ca: string | undefined, host = '127.0.0.1') {
  const tlsCaFile = ca === undefined ? undefined : join(dir, `${ca}.pem`);
  const all = { ...config, tlsCaFile, members: [{ host, port: server.port }] };
  const pulse = watchDatabase(all, pino({ level: 'silent' }));
  const found = await pulse.find();
  const sequelize = connectDatabase(all, pulse);
  try {
    if (!found) return { found, why: pulse.members[0]!.standing };
    const row = await selectOne<{ Value: string }>({ sequelize }, "SHOW SESSION STATUS LIKE 'Ssl_cipher'");
    return { found, cipher: row!.Value };
  } finally {
    await sequelize.close();
    await pulse.stop();
  }
}

describe('a database that is spoken with over TLS', () => {
  it('is one whose certificate is vouched for, for the very address, by pools and watch alike', async () => {
    expect(await reached('port')).toEqual({ found: true, cipher: expect.stringMatching(/AES|CHACHA/) as string });
    // What it is without: the test would see it.
    expect(await reached(undefined)).toEqual({ found: true, cipher: '' });
  });

  it('is none that somebody else vouches for, or by another name', async () => {
    expect(await reached('other')).toMatchObject({ found: false, why: { why: 'UNABLE_TO_VERIFY_LEAF_SIGNATURE' } });
    const by = { found: false, why: { why: 'ERR_TLS_CERT_ALTNAME_INVALID' } };
    expect(await reached('port', 'localhost')).toMatchObject(by);
  });
});
