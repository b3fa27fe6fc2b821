/**
 * The benchmark of keys: assertions over HTTP at 32 in flight, a sign-in begun and its key's answer checked (two calls), against a bare
 * handler that verifies the same signature by node:crypto and does the same durable writes. Runs are taken in turn.
 */
import { Blob } from 'node:buffer';
import { createHash, generateKeyPairSync, randomBytes, sign } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { join } from 'node:path';
import { encode } from 'cborg';
import { connected, startBare, withInstallation } from './installation.mjs';
import { call, IN_FLIGHT, load, measured, median, residentMb, SECONDS } from './load.mjs';

const ROUNDS = 3;
const PEOPLE = 500;
const GOALS = { throughput: 0.8, memoryMb: 250 };
const ORIGIN = 'https://berths.localhost';

const sha256 = (bytes) => createHash('sha256').update(bytes).digest();
const b64 = (bytes) => Buffer.from(bytes).toString('base64url');

/** A key as an authenticator holds it, with its COSE form (RFC 9053 §7.1). */
function madeKey(loginName) {
  const { publicKey, privateKey } = generateKeyPairSync('ec', { namedCurve: 'P-256' });
  const jwk = publicKey.export({ format: 'jwk' });
  const cose = encode(
    new Map([
      [1, 2],
      [3, -7],
      [-1, 1],
      [-2, Buffer.from(jwk.x, 'base64url')],
      [-3, Buffer.from(jwk.y, 'base64url')],
    ]),
  );
  return { loginName, id: b64(randomBytes(32)), jwk, privateKey, cose: b64(cose), count: 0 };
}

/** What it answers to a challenge, WebAuthn Level 3 §6.3.3. */
function answerOf(key, challenge) {
  const count = Buffer.alloc(4);
  count.writeUInt32BE(++key.count);
  const authData = Buffer.concat([sha256('localhost'), Buffer.from([5]), count]);
  const clientDataJSON = Buffer.from(
    JSON.stringify({ type: 'webauthn.get', challenge, origin: ORIGIN, crossOrigin: false }),
  );
  const signature = sign('sha256', Buffer.concat([authData, sha256(clientDataJSON)]), key.privateKey);
  return {
    id: key.id,
    rawId: key.id,
    type: 'public-key',
    clientExtensionResults: {},
    response: {
      clientDataJSON: b64(clientDataJSON),
      authenticatorData: b64(authData),
      signature: b64(signature),
    },
  };
}

await withInstallation({ host: 'localhost' }, async (installation) => {
  const { dir, server, port, service, owner } = installation;
  process.stdout.write(`Bringing in ${PEOPLE} people with a key each …\n`);
  const keys = Array.from({ length: PEOPLE }, (_, i) => madeKey(`person-${i}`));
  for (let i = 0; i < PEOPLE; i += 20)
    await Promise.all(
      keys
        .slice(i, i + 20)
        .map(({ loginName }) =>
          owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } }),
        ),
    );
  const lines = keys.map(({ loginName, id, cose }) =>
    JSON.stringify({ loginName, id, publicKey: cose, transports: ['usb'], rpId: 'localhost', verified: true }),
  );
  const received = await owner.call('imports.receive', {
    query: { kind: 'keys', fileName: 'keys.jsonl' },
    file: new Blob([lines.join('\n')]),
  });
  const { id } = received;
  const until = async (state) => {
    for (;;) {
      const now = await owner.call('imports.show', { params: { id } });
      if (now.state === state) return now;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  };
  await owner.call('imports.check', {
    params: { id },
    body: { columns: received.columns.map(({ meaning }) => meaning), rules: received.rules, saveAs: null },
  });
  const { version } = await until('checked');
  await owner.call('imports.apply', { params: { id }, body: { skipBad: false }, ifMatch: version });
  const { counts } = await until('done');
  if (counts.new !== PEOPLE) throw new Error(`${counts.new} keys came in`);

  const { application, key: token } = await connected(owner);
  await owner.call('applications.setOrigins', {
    params: { id: application.id },
    body: { origins: [ORIGIN] },
    ifMatch: application.version,
  });

  let turn = 0;
  let letIn = 0;
  const ours = async () => {
    const key = keys[turn++ % PEOPLE];
    const begun = await call(
      port,
      'POST',
      '/api/v1/sign-ins',
      { loginName: key.loginName, carries: ['webauthn'], claims: { passwordChecked: true } },
      token,
    );
    const credential = answerOf(key, begun.prompt.publicKey.challenge);
    const body = { kind: 'webauthn', credential };
    const done = await call(port, 'POST', `/api/v1/sign-ins/${begun.id}/proofs`, body, token);
    if (done.state === 'let-in') letIn += 1;
  };

  const keyFile = join(dir, 'keys.json');
  writeFileSync(keyFile, JSON.stringify(Object.fromEntries(keys.map(({ id: name, jwk }) => [name, jwk]))));
  const handler = await startBare(installation, 'bare-keys.mjs', { BARE_KEYS: keyFile });
  const bare = async () => {
    const key = keys[turn++ % PEOPLE];
    const begun = await call(
      handler.port,
      'POST',
      '/begin',
      { loginName: key.loginName, carries: ['webauthn'], claims: { passwordChecked: true }, credential: key.id },
      token,
    );
    const credential = answerOf(key, begun.prompt.publicKey.challenge);
    await call(handler.port, 'POST', '/prove', { kind: 'webauthn', credential, id: begun.id }, token);
  };

  // Compilers and caches first: a service runs for months.
  await load(bare);
  await load(ours);
  const runs = [];
  for (let round = 1; round <= ROUNDS; round++) {
    letIn = 0;
    const mine = await measured(ours, { handler: service.child.pid, database: server.pid, loader: process.pid });
    const right = Math.round((100 * letIn) / (mine.perSecond * SECONDS));
    const limit = await measured(bare, { handler: handler.pid, database: server.pid, loader: process.pid });
    runs.push(mine.perSecond / limit.perSecond);
    const line = (name, r) =>
      `  ${name} ${r.perSecond.toFixed(0).padStart(6)} assertions/s   p50 ${r.p50.toFixed(1)} ms   p99 ${r.p99.toFixed(1)} ms   processor ms each: ${r.spent.map(([who, ms]) => `${who} ${ms.toFixed(2)}`).join(', ')}\n`;
    process.stdout.write(
      `Round ${round} (${right} % let in)\n${line('ours', mine)}${line('bare', limit)}  ratio ${runs.at(-1).toFixed(2)}\n`,
    );
  }
  const ratio = median(runs);
  const memory = residentMb(service.child.pid);
  const verdict = (good) => (good ? 'met' : 'NOT met');
  process.stdout.write(
    [
      '',
      `Machine: ${cpus()[0].model}, ${cpus().length} cores, Node ${process.version}; ${IN_FLIGHT} in flight, ${SECONDS} s a run, median of ${ROUNDS} pairs`,
      `ES256 assertions against the bare handler: ${ratio.toFixed(2)} (goal ${GOALS.throughput}: ${verdict(ratio >= GOALS.throughput)})`,
      `Resident memory of the service, peak: ${memory.toFixed(0)} MB (goal ${GOALS.memoryMb}: ${verdict(memory < GOALS.memoryMb)})`,
      '',
    ].join('\n'),
  );
});
