/**
 * The bare limit of an assertion: the same Fastify, connector, pool size and server, the same signature verified by node:crypto with the
 * key at hand, and the same durable writes as the service makes for one. No validation, no challenge, no step of the ceremony, no look
 * at who or what a request means.
 */
import { createHash, createPublicKey, randomBytes, verify } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { begin, copyTables, letIn, pool, serve, view } from './bare.mjs';

await copyTables({ empty: ['sign_ins', 'trail_entries'], filled: ['authenticators', 'webauthn_credentials'] });
const rows = await pool.query(
  'SELECT a.id, a.person_id, c.credential_id FROM bare_webauthn_credentials c JOIN bare_authenticators a ON a.id = c.authenticator_id',
);
/** Public keys by credential, as the loader made them. */
const KEYS = JSON.parse(readFileSync(process.env.BARE_KEYS, 'utf8'));
const credentials = new Map(
  rows.map((row) => {
    const name = row.credential_id.toString('base64url');
    return [name, { ...row, key: createPublicKey({ key: KEYS[name], format: 'jwk' }) }];
  }),
);
const sha256 = (bytes) => createHash('sha256').update(bytes).digest();
const of = (text) => Buffer.from(text, 'base64url');

await serve({
  begin: async (body) => {
    const { person_id, credential_id } = credentials.get(body.credential);
    const publicKey = {
      challenge: randomBytes(32).toString('base64url'),
      timeout: 120_000,
      rpId: 'localhost',
      allowCredentials: [{ type: 'public-key', id: credential_id.toString('base64url'), transports: ['usb'] }],
      userVerification: 'preferred',
    };
    return view(await begin(person_id), 'asking', { kind: 'webauthn', methods: ['webauthn'], others: [], publicKey });
  },
  prove: async (body) => {
    const { rawId, response } = body.credential;
    const { id: authenticator, person_id: person, key } = credentials.get(rawId);
    const authData = of(response.authenticatorData);
    const signed = Buffer.concat([authData, sha256(of(response.clientDataJSON))]);
    if (!verify('sha256', signed, key, of(response.signature))) throw new Error('the signature is wrong');
    await letIn(body.id, person, async (connection) => {
      await connection.execute('SELECT * FROM bare_webauthn_credentials WHERE authenticator_id = ? FOR UPDATE', [
        authenticator,
      ]);
      await connection.execute('UPDATE bare_authenticators SET last_used_at = NOW(3) WHERE id = ?', [authenticator]);
      await connection.execute('UPDATE bare_webauthn_credentials SET sign_count = ? WHERE authenticator_id = ?', [
        authData.readUInt32BE(33),
        authenticator,
      ]);
    });
    return view(body.id, 'let-in', null);
  },
});
