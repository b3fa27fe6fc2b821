/** What bare handlers share: the service's Fastify, connector and pool size, copies of its tables, and rows of the same size. */
import { randomBytes } from 'node:crypto';
import Fastify from 'fastify';
import mariadb from 'mariadb';

const { env } = process;
export const pool = mariadb.createPool({
  host: env.NLATCH_DATABASE_HOST,
  port: Number(env.NLATCH_DATABASE_PORT),
  user: env.NLATCH_DATABASE_USER,
  password: env.NLATCH_DATABASE_PASSWORD,
  database: env.NLATCH_DATABASE_NAME,
  connectionLimit: 16,
});

/** Makes `bare_…` tables like the service's, empty or with their rows. */
export async function copyTables({ empty, filled }) {
  for (const table of [...empty, ...filled]) {
    await pool.query(`DROP TABLE IF EXISTS bare_${table}`);
    await pool.query(`CREATE TABLE bare_${table} LIKE ${table}`);
  }
  for (const table of filled) await pool.query(`INSERT INTO bare_${table} SELECT * FROM ${table}`);
}

function newId() {
  const id = randomBytes(16);
  id.writeUIntBE(Date.now(), 0, 6);
  return id;
}
const WRITER = newId();
const DATA = JSON.stringify({ story: 'x'.repeat(700) });
let number = 0;

/** An answer of the same shape as the service's. */
export const view = (id, state, prompt) => ({
  id,
  state,
  prompt,
  reason: state === 'asking' ? null : 'proved',
  retryAt: null,
  expiresAt: '2026-11-23T10:00:00.000Z',
  ignoredClaims: [],
  person: null,
  way: null,
  amr: [],
});

/** Writes a sign-in of a person; answers its id in hexadecimal digits. */
export async function begin(person) {
  const id = newId();
  await pool.execute(
    "INSERT INTO bare_sign_ins (id, application_id, person_id, state, data, claims, ignored_claims, begun_at) VALUES (?, ?, ?, 'asking', ?, '', '', NOW(3))",
    [id, WRITER, person, DATA],
  );
  return id.toString('hex');
}

/** In one transaction what `prove` writes of the authenticator, then the sign-in let in and its entry on the trail. */
export async function letIn(id, person, prove) {
  const connection = await pool.getConnection();
  try {
    await connection.beginTransaction();
    await prove(connection);
    await connection.execute(
      "UPDATE bare_sign_ins SET state = 'let-in', data = ?, ended_at = NOW(3), version = version + 1 WHERE id = ?",
      [DATA, Buffer.from(id, 'hex')],
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
}

/** Answers the two calls of a check until it is told to end. */
export async function serve({ begin: begins, prove }) {
  const app = Fastify();
  app.post('/begin', async ({ body }) => await begins(body));
  app.post('/prove', async ({ body }) => await prove(body));
  await app.listen({ host: '127.0.0.1', port: Number(env.BARE_PORT) });
  process.stdout.write('ready\n');
  process.once('SIGTERM', () => process.exit(0));
}
