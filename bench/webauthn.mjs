/**
 * The benchmark of credentials: verifying an assertion in the core, every step of it, beside the bare check of the same signature by
 * node:crypto with the key at hand. One core, runs taken in turn.
 */
import { createHash, generateKeyPairSync, randomBytes, sign, verify } from 'node:crypto';
import { cpus } from 'node:os';
import { readCredentialKey, verifyAssertion } from '@nimble-latch/core/webauthn';
import { encode } from 'cborg';

const SECONDS = Number(process.env.NLATCH_BENCH_SECONDS ?? 3);
const ROUNDS = 5;
const GOAL = 1.25;

const sha256 = (bytes) => createHash('sha256').update(bytes).digest();
const median = (values) => values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)];

const challenge = randomBytes(32);
const clientDataJSON = Buffer.from(
  JSON.stringify({
    type: 'webauthn.get',
    challenge: challenge.toString('base64url'),
    origin: 'https://latch.wexmoor.example',
    crossOrigin: false,
  }),
);
const authenticatorData = Buffer.concat([sha256('wexmoor.example'), Buffer.from([5, 0, 0, 0, 9])]);
const signed = Buffer.concat([authenticatorData, sha256(clientDataJSON)]);

/** A key with its COSE form, RFC 9053 §7. */
function made(name) {
  const { publicKey, privateKey } =
    name === 'ES256' ? generateKeyPairSync('ec', { namedCurve: 'P-256' }) : generateKeyPairSync('ed25519');
  const { x, y } = publicKey.export({ format: 'jwk' });
  const of = (text) => Buffer.from(text, 'base64url');
  const cose =
    name === 'ES256'
      ? [
          [1, 2],
          [3, -7],
          [-1, 1],
          [-2, of(x)],
          [-3, of(y)],
        ]
      : [
          [1, 1],
          [3, -8],
          [-1, 6],
          [-2, of(x)],
        ];
  const hash = name === 'ES256' ? 'sha256' : null;
  return { publicKey, hash, cose: encode(new Map(cose)), signature: sign(hash, signed, privateKey) };
}

/** How often a second. */
function often(one) {
  const end = performance.now() + SECONDS * 1000;
  let count = 0;
  while (performance.now() < end) {
    for (let i = 0; i < 50; i++) one();
    count += 50;
  }
  return count / SECONDS;
}

process.stdout.write(
  `Machine: ${cpus()[0].model}, Node ${process.version}; one core, ${SECONDS} s a run, median of ${ROUNDS} pairs\n`,
);
for (const name of ['ES256', 'EdDSA']) {
  const { publicKey, hash, cose, signature } = made(name);
  const id = randomBytes(32);
  const userHandle = randomBytes(32);
  const asked = {
    challenge,
    rpId: 'wexmoor.example',
    origins: ['https://latch.wexmoor.example'],
    userVerification: 'required',
    allowed: [id],
    counter: 'refuse',
  };
  const answer = { id, clientDataJSON, authenticatorData, signature, userHandle, clientExtensionResults: {} };
  const record = { id, key: readCredentialKey(cose), signCount: 8, backupEligible: false, userHandle };
  const ours = () => {
    if (!verifyAssertion(asked, answer, record, true).ok) throw new Error('refused');
  };
  const reading = () => {
    const key = readCredentialKey(cose);
    if (!verifyAssertion(asked, answer, { ...record, key }, true).ok) throw new Error('refused');
  };
  const bare = () => {
    if (!verify(hash, signed, publicKey, signature)) throw new Error('refused');
  };
  for (const one of [ours, reading, bare]) often(one);
  const ratios = { ours: [], reading: [] };
  let last;
  for (let round = 0; round < ROUNDS; round++) {
    last = { ours: often(ours), bare: often(bare), reading: often(reading) };
    ratios.ours.push(last.bare / last.ours);
    ratios.reading.push(last.bare / last.reading);
  }
  const ratio = median(ratios.ours);
  process.stdout.write(
    [
      name,
      `  every step          ${last.ours.toFixed(0).padStart(6)} a second, ${ratio.toFixed(2)} of the bare check${name === 'ES256' ? ` (goal at most ${GOAL}: ${ratio <= GOAL ? 'met' : 'NOT met'})` : ''}`,
      `  and the key read    ${last.reading.toFixed(0).padStart(6)} a second, ${median(ratios.reading).toFixed(2)}`,
      `  bare check          ${last.bare.toFixed(0).padStart(6)} a second`,
      '',
    ].join('\n'),
  );
}
