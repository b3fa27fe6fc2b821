import { describe, expect, it } from 'vitest';
import { MetadataPublisher, type Entry } from '../../../../e2e/support/metadata.js';
import { Maker, register } from '../../../../e2e/support/security-key.js';
import { assessTrust, modelId, readMetadata, verifyRegistration } from './enrolling.js';
import { offeredAlgorithms, refusedByRules, type KeyRules } from './index.js';

const NOW = Date.parse('2026-11-28T12:00:00Z');
const VALID = { notBefore: new Date('2026-01-01'), notAfter: new Date('2036-01-01') };
const AAGUID = '6c1f0d52-a4e9-4b0a-8f5d-21c7be903a12';
const GULLWING: Entry = { aaguid: AAGUID, description: 'Gullwing Key 2', reports: [{ status: 'FIDO_CERTIFIED_L2' }] };

const der = (pem: string) => Buffer.from(pem.replace(/-----[^-]+-----|\s/g, ''), 'base64');
const publisher = await MetadataPublisher.found('Stand-in', VALID);
const other = await MetadataPublisher.found('Somebody Else', VALID);
const ROOTS = [der(publisher.root)];
const read = (text: string, { roots = ROOTS, at = NOW, least = 0 } = {}) => readMetadata(text, roots, at, least);
const withBody = (text: string, change: (body: Record<string, unknown>) => unknown) => {
  const [head, body, signature] = text.split('.') as [string, string, string];
  const changed = change(JSON.parse(Buffer.from(body, 'base64url').toString()) as Record<string, unknown>);
  return `${head}.${Buffer.from(JSON.stringify(changed)).toString('base64url')}.${signature}`;
};

describe('a metadata blob', () => {
  it('gives models their names, pictures, roots and reports', async () => {
    const maker = await Maker.found();
    const icon = `data:image/png;base64,${Buffer.from('picture').toString('base64')}`;
    const entries: Entry[] = [
      { ...GULLWING, icon, roots: [maker.root] },
      { keyIdentifiers: ['ab'.repeat(20)], description: 'Gullwing U2F', reports: [] },
      { description: 'says of nobody', reports: [] },
      { ...GULLWING, aaguid: '6c1f0d52-a4e9-4b0a-8f5d-21c7be903a13', icon: 'https://elsewhere.example/x.png' },
    ];
    const answer = read(publisher.publish(7, '2026-12-01', entries));
    if (!answer.ok) throw new Error(answer.problem);
    const { blob } = answer;
    expect(blob).toMatchObject({ number: 7, nextUpdate: '2026-12-01', passedOver: 1 });
    expect(blob.models[0]).toEqual({
      aaguid: Buffer.from(AAGUID.replaceAll('-', ''), 'hex'),
      keyIdentifiers: [],
      name: 'Gullwing Key 2',
      picture: icon,
      roots: [maker.root],
      status: { status: 'FIDO_CERTIFIED_L2', since: null },
      compromised: false,
      certified: 'FIDO_CERTIFIED_L2',
    });
    expect(blob.models[1]).toMatchObject({ aaguid: null, keyIdentifiers: ['ab'.repeat(20)], status: null });
    expect(blob.models[2]!.picture).toBeNull();
    expect(modelId(blob.models[1]!)).toHaveLength(16);
  });

  it('tells of a model that it is not to be relied on, until a later report says it was mended', () => {
    const standing = (...statuses: string[]) => {
      const reports = statuses.map((status) => ({ status, effectiveDate: '2026-10-01' }));
      const answer = read(publisher.publish(1, '2026-12-01', [{ ...GULLWING, reports }]));
      return answer.ok && [answer.blob.models[0]!.compromised, answer.blob.models[0]!.status?.status];
    };
    expect(standing('FIDO_CERTIFIED', 'REVOKED')).toEqual([true, 'REVOKED']);
    expect(standing('USER_KEY_REMOTE_COMPROMISE', 'FIDO_CERTIFIED_L1')).toEqual([true, 'USER_KEY_REMOTE_COMPROMISE']);
    expect(standing('ATTESTATION_KEY_COMPROMISE', 'UPDATE_AVAILABLE')).toEqual([false, 'UPDATE_AVAILABLE']);
    expect(standing('UPDATE_AVAILABLE', 'USER_VERIFICATION_BYPASS')).toEqual([true, 'USER_VERIFICATION_BYPASS']);
    expect(standing('NOT_FIDO_CERTIFIED')).toEqual([false, 'NOT_FIDO_CERTIFIED']);
  });

  it('is refused where anything of its signature, its signer, its age or its form is wrong', () => {
    const good = publisher.publish(7, '2026-12-01', [GULLWING]);
    const [head, body, signature] = good.split('.') as [string, string, string];
    const cases: [string, ReturnType<typeof read>][] = [
      ['signature', read(withBody(good, (all) => ({ ...all, no: 8 })))],
      ['signature', read(`${head}.${body}.${Buffer.alloc(64).toString('base64url')}`)],
      ['no-root', read(other.publish(7, '2026-12-01', [GULLWING]))],
      ['no-root', read(good, { roots: [] })],
      ['no-root', read(good, { at: Date.parse('2037-01-01') })],
      ['older', read(good, { least: 8 })],
      ['not-a-blob', read(`${head}.${body}`)],
      ['not-a-blob', read(`${good}.${signature}`)],
      ['not-a-blob', read(publisher.publish(7, 'soon', [GULLWING]))],
      ['not-a-blob', read(publisher.publish(-1, '2026-12-01', [GULLWING]))],
      ['not-a-blob', read(publisher.publish(7, '2026-12-01', [GULLWING], { alg: 'none' }))],
      ['not-a-blob', read(publisher.publish(7, '2026-12-01', [GULLWING], { alg: 'HS256' }))],
      ['not-a-blob', read(publisher.publish(7, '2026-12-01', [GULLWING], { x5c: [] }))],
      ['not-a-blob', read(publisher.publish(7, '2026-12-01', [GULLWING], { crit: ['b64'] }))],
      ['too-long', read('a'.repeat(25 * 1024 * 1024))],
      ['not-a-blob', read('')],
    ];
    for (const [problem, answer] of cases) expect(answer).toEqual({ ok: false, problem });
    expect(read(good, { least: 7 }).ok).toBe(true);
  });

  it('changed at random is never accepted and never throws', () => {
    const good = Buffer.from(publisher.publish(7, '2026-12-01', [GULLWING]));
    for (let i = 0; i < 400; i++) {
      const changed = Buffer.from(good);
      const at = (i * 7_919) % changed.length;
      changed[at] = 33 + ((changed[at]! + 1 + i) % 90);
      // The last sign of base64url carries bits that mean nothing.
      if (changed.equals(good) || at === changed.length - 1) continue;
      expect(read(changed.toString('latin1')).ok, `${i}`).toBe(false);
    }
  });
});

describe('what the method settings say of new keys', async () => {
  const maker = await Maker.found();
  const challenge = Buffer.alloc(32, 1);
  const made = async (more: Partial<Parameters<typeof register>[0]>) => {
    const where = { challenge, origin: 'https://latch.wexmoor.example', rpId: 'latch.wexmoor.example' };
    const { answer } = await register({ ...where, aaguid: Buffer.from(AAGUID.replaceAll('-', ''), 'hex'), ...more });
    const verified = verifyRegistration(
      {
        ...where,
        origins: [where.origin],
        userVerification: 'preferred',
        algorithms: offeredAlgorithms({}),
      },
      { ...answer, clientExtensionResults: {} },
    );
    if (!verified.ok) throw new Error(verified.reason);
    return verified;
  };
  const judge = async (
    rules: KeyRules,
    more: Partial<Parameters<typeof register>[0]> = {},
    facts: { compromised?: boolean; attachment?: 'platform' | 'cross-platform'; discoverable?: boolean } = {},
  ) => {
    const { credential, attestation } = await made(more);
    const trusted = assessTrust(attestation, [maker.root], Date.now()).trusted;
    const { compromised = false, attachment, discoverable } = facts;
    return refusedByRules(rules, {
      credential: { ...credential, discoverable },
      attestation,
      trusted,
      compromised,
      attachment,
    });
  };
  const packed = { format: 'packed', maker } as const;
  const SYNCED = 0x1d;

  it('is kept or not, each rule by itself', async () => {
    const model = { aaguid: AAGUID };
    const another = { aaguid: 'b02e7a0c-91d3-4c6e-9a44-00f1d7c3285e' };
    expect(await judge({})).toBeUndefined();
    expect(await judge({}, {}, { compromised: true })).toBe('model-compromised');
    expect(await judge({ attestation: 'asked' })).toBeUndefined();
    expect(await judge({ attestation: 'required' })).toBe('not-attested');
    expect(await judge({ attestation: 'required' }, { format: 'self' })).toBe('not-attested');
    expect(await judge({ attestation: 'required' }, { format: 'packed', maker: await Maker.found() })).toBe(
      'not-trusted',
    );
    expect(await judge({ attestation: 'required' }, packed)).toBeUndefined();
    expect(await judge({ noModels: [model] })).toBe('model-denied');
    expect(await judge({ noModels: [another] })).toBeUndefined();
    expect(await judge({ onlyModels: [model] })).toBe('model-not-allowed');
    expect(await judge({ onlyModels: [another] }, packed)).toBe('model-not-allowed');
    expect(await judge({ onlyModels: [another, model] }, packed)).toBeUndefined();
    expect(await judge({ deviceBound: 'required' }, { flags: SYNCED })).toBe('synced');
    expect(await judge({ deviceBound: 'required' })).toBeUndefined();
    expect(await judge({ discoverable: 'required' }, {}, { discoverable: false })).toBe('not-discoverable');
    expect(await judge({ discoverable: 'required' }, {}, { discoverable: true })).toBeUndefined();
    expect(await judge({ attachment: 'platform' }, {}, { attachment: 'cross-platform' })).toBe('attachment');
    expect(await judge({ attachment: 'platform' }, {}, { attachment: 'platform' })).toBeUndefined();
  });

  it('narrows the algorithms that are offered, by either of their names', () => {
    expect(offeredAlgorithms({}).slice(0, 2)).toEqual([-7, -8]);
    expect(offeredAlgorithms({ algorithms: ['EdDSA'] })).toEqual([-8, -19]);
    expect(offeredAlgorithms({ algorithms: ['RS256', 'ES256'] })).toEqual([-7, -9, -257]);
  });
});
