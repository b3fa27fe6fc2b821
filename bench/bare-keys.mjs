/**
 * The bare limit of an assertion: the same Fastify, connector, pool size and server, the same signature verified by node:crypto with the
 * key at hand, and the same durable writes as the service makes for one. No validation, no challenge, no step of the ceremony, no look
 * at who or what a request means.
 */
import { createHash, createPublicKey, randomBytes, verify } from 'node:crypto';
import { readFileSync } from 'node:fs';
import Fastify from 'fastify';
import mariadb from 'mariadb';

const { env } = process;
const pool = mariadb.createPool({
  host: env.NLATCH_DATABASE_HOST,
  port: Number(env.NLATCH_DATABASE_PORT),
  user: env.NLATCH_DATABASE_USER,
  password: env.NLATCH_DATABASE_PASSWORD,
  database: env.NLATCH_DATABASE_NAME,
  connectionLimit: 16,
});
for (const table of ['sign_ins', 'authenticators', 'webauthn_credentials', 'trail_entries']) {
  await pool.query(`DROP TABLE IF EXISTS bare_${table}`);
  await pool.query(`CREATE TABLE bare_${table} LIKE ${table}`);
}
await pool.query('INSERT INTO bare_authenticators SELECT * FROM authenticators');
await pool.query('INSERT INTO bare_webauthn_credentials SELECT * FROM webauthn_credentials');
const rows = await pool.query(
  'SELECT a.id, a.person_id, c.credential_id FROM bare_webauthn_credentials c JOIN bare_authenticators a ON a.id = c.authenticator_id',
);
/** Public keys by credential, as the loader made them. */
const KEYS = JSON.parse(readFileSync(env.BARE_KEYS, 'utf8'));
const credentials = new Map(
  rows.map((row) => {
    const name = row.credential_id.toString('base64url');
    return [name, { ...row, key: createPublicKey({ key: KEYS[name], format: 'jwk' }) }];
  }),
);

function newId() {
  const id = randomBytes(16);
  id.writeUIntBE(Date.now(), 0, 6);
  return id;
}
const WRITER = newId();
const DATA = JSON.stringify({ story: 'x'.repeat(700) });
let number = 0;
const sha256 = (bytes) => createHash('sha256').update(bytes).digest();
const of = (text) => Buffer.from(text, 'base64url');

const view = (id, state, publicKey) => ({
  id,
  state,
  prompt: publicKey ? { kind: 'webauthn', methods: ['webauthn'], others: [], publicKey } : null,
  reason: state === 'asking' ? null : 'proved',
  retryAt: null,
  expiresAt: '2026-11-23T10:00:00.000Z',
  ignoredClaims: [],
  person: null,
  way: null,
  amr: [],
});

const app = Fastify();
app.post('/begin', async ({ body }) => {
  const id = newId();
  const { person_id, credential_id } = credentials.get(body.credential);
  await pool.execute(
    "INSERT INTO bare_sign_ins (id, application_id, person_id, state, data, claims, ignored_claims, begun_at) VALUES (?, ?, ?, 'asking', ?, '', '', NOW(3))",
    [id, WRITER, person_id, DATA],
  );
  return view(id.toString('hex'), 'asking', {
    challenge: randomBytes(32).toString('base64url'),
    timeout: 120_000,
    rpId: 'localhost',
    allowCredentials: [{ type: 'public-key', id: credential_id.toString('base64url'), transports: ['usb'] }],
    userVerification: 'preferred',
  });
});
app.post('/prove', async ({ body }) => {
  const id = Buffer.from(body.id, 'hex');
  const { rawId, response } = body.credential;
  const { id: authenticator, person_id: person, key } = credentials.get(rawId);
  const authData = of(response.authenticatorData);
  const signed = Buffer.concat([authData, sha256(of(response.clientDataJSON))]);
  if (!verify('sha256', signed, key, of(response.signature))) throw new Error('the signature is wrong');
  const connection = await pool.getConnection();
  try {
    await connection.beginTransaction();
    await connection.execute('SELECT * FROM bare_webauthn_credentials WHERE authenticator_id = ? FOR UPDATE', [
      authenticator,
    ]);
    await connection.execute(
      "UPDATE bare_sign_ins SET state = 'let-in', data = ?, ended_at = NOW(3), version = version + 1 WHERE id = ?",
      [DATA, id],
    );
    await connection.execute('UPDATE bare_authenticators SET last_used_at = NOW(3) WHERE id = ?', [authenticator]);
    await connection.execute('UPDATE bare_webauthn_credentials SET sign_count = ? WHERE authenticator_id = ?', [
      authData.readUInt32BE(33),
      authenticator,
    ]);
    await connection.execute(
      "INSERT INTO bare_trail_entries (writer, number, at, actor_kind, actor_id, action, target_kind, target_id, person_id, details) VALUES (?, ?, NOW(3), 'application', ?, 'sign-in.let-in', 'application', ?, ?, '{}')",
      [WRITER, ++number, WRITER, WRITER, person],
    );
    await connection.commit();
  } catch (error) {
    await connection.rollback();
    throw error;
  } finally {
    connection.release();
  }
  return view(body.id, 'let-in');
});
await app.listen({ host: '127.0.0.1', port: Number(env.BARE_PORT) });
process.stdout.write('ready\n');
process.once('SIGTERM', () => process.exit(0));
