/**
 * The bare limit: the same Fastify, connector, pool size and server, and the same durable writes for one check as the
 * service makes, with requests and answers of the same shape. No validation, no key, no code, no choice, no look at who
 * or what a request means.
 */
import { begin, copyTables, letIn, pool, serve, view } from './bare.mjs';

await copyTables({ empty: ['sign_ins', 'trail_entries'], filled: ['authenticators'] });
const authenticators = (await pool.query('SELECT id, person_id FROM bare_authenticators')).map((row) => [
  row.id,
  row.person_id,
]);
let turn = 0;
let step = 1;

await serve({
  begin: async () => {
    const id = await begin(authenticators[turn++ % authenticators.length][1]);
    return view(id, 'asking', { kind: 'code', methods: ['totp'] });
  },
  prove: async (body) => {
    const [authenticator, person] = authenticators[body.person % authenticators.length];
    await letIn(body.id, person, async (connection) => {
      await connection.execute('SELECT * FROM bare_authenticators WHERE id = ? FOR UPDATE', [authenticator]);
      await connection.execute('UPDATE bare_authenticators SET last_step = ?, last_used_at = NOW(3) WHERE id = ?', [
        step++,
        authenticator,
      ]);
    });
    return view(body.id, 'let-in', null);
  },
});
