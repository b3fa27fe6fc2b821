/**
 * The bare limit: the same Fastify, connector, pool size and server, and the same durable writes for one check as the
 * service makes, with requests and answers of the same shape. No validation, no key, no code, no choice, no look at who
 * or what a request means.
 */
import { randomBytes } from 'node:crypto';
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
for (const table of ['sign_ins', 'authenticators', 'trail_entries']) {
  await pool.query(`DROP TABLE IF EXISTS bare_${table}`);
  await pool.query(`CREATE TABLE bare_${table} LIKE ${table}`);
}
await pool.query('INSERT INTO bare_authenticators SELECT * FROM authenticators');
const authenticators = (await pool.query('SELECT id, person_id FROM bare_authenticators')).map((row) => [
  row.id,
  row.person_id,
]);

function newId() {
  const id = randomBytes(16);
  id.writeUIntBE(Date.now(), 0, 6);
  return id;
}
const WRITER = newId();
const DATA = JSON.stringify({ story: 'x'.repeat(700) });
let number = 0;
let step = 1;

const view = (id, state) => ({
  id,
  state,
  prompt: state === 'asking' ? { kind: 'code', methods: ['totp'] } : null,
  reason: state === 'asking' ? null : 'proved',
  retryAt: null,
  expiresAt: '2026-11-23T10:00:00.000Z',
  ignoredClaims: [],
  person: null,
  way: null,
  amr: [],
});

const app = Fastify();
app.post('/begin', async () => {
  const id = newId();
  await pool.execute(
    "INSERT INTO bare_sign_ins (id, application_id, person_id, state, data, claims, ignored_claims, begun_at) VALUES (?, ?, ?, 'asking', ?, '', '', NOW(3))",
    [id, WRITER, authenticators[number % authenticators.length][1], DATA],
  );
  return view(id.toString('hex'), 'asking');
});
app.post('/prove', async ({ body }) => {
  const id = Buffer.from(body.id, 'hex');
  const [authenticator, person] = authenticators[body.person % authenticators.length];
  const connection = await pool.getConnection();
  try {
    await connection.beginTransaction();
    await connection.execute('SELECT * FROM bare_authenticators WHERE id = ? FOR UPDATE', [authenticator]);
    await connection.execute('UPDATE bare_authenticators SET last_step = ?, last_used_at = NOW(3) WHERE id = ?', [
      step++,
      authenticator,
    ]);
    await connection.execute(
      "UPDATE bare_sign_ins SET state = 'let-in', data = ?, ended_at = NOW(3), version = version + 1 WHERE id = ?",
      [DATA, id],
    );
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
