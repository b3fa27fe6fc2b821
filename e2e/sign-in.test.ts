import { createClient } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  connectedApplication,
  Installation,
  outcomes,
  PASSWORD,
  personWithApp,
  Phone,
} from './support/installation.js';

let inst: Installation;
beforeAll(async () => {
  inst = await Installation.start(2);
});
afterAll(() => inst.stop());

const app = (key: string, node = 0) => createClient({ server: inst.nodes[node]!.url, token: key });

describe('an application asks about a person', () => {
  it('password, then code: let in, with the way and who it is; the operator reads the story', async () => {
    const tobias = await personWithApp(inst.owner, 'tobias.renn');
    const planner = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['source-address'] });
    const client = app(planner.key);
    const begun = await client.call('signIns.begin', {
      body: {
        loginName: 'Tobias.Renn',
        claims: { sourceAddress: '198.51.100.7', passwordChecked: true, browser: 'x' },
      },
    });
    expect(begun).toMatchObject({
      state: 'asking',
      prompt: { kind: 'password' },
      ignoredClaims: ['password-checked', 'browser'],
      person: null,
    });
    const params = { id: begun.id };
    expect(
      await client.call('signIns.prove', { params, body: { kind: 'password', value: 'not it at all' } }),
    ).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
    expect(await client.call('signIns.prove', { params, body: { kind: 'password', value: PASSWORD } })).toMatchObject({
      state: 'asking',
      prompt: { kind: 'code' },
      reason: null,
    });
    expect(
      await client.call('signIns.prove', { params, body: { kind: 'code', value: tobias.phone.next() } }),
    ).toMatchObject({
      state: 'let-in',
      reason: 'proved',
      way: 'password + totp',
      amr: ['pwd', 'otp', 'mfa'],
      person: { id: tobias.id, displayName: 'tobias.renn' },
    });
    await expect(
      client.call('signIns.prove', { params, body: { kind: 'code', value: '000000' } }),
    ).rejects.toMatchObject({ code: 'sign-in-ended' });
    const story = await inst.owner.call('activity.show', { params });
    expect(story).toMatchObject({
      state: 'let-in',
      sourceAddress: '198.51.100.7',
      claims: ['source-address'],
      ignoredClaims: ['password-checked', 'browser'],
    });
    expect(story.steps.map((step) => step.why ?? step.prompt ?? step.method ?? step.what)).toEqual([
      'begun',
      'password',
      'wrong-password',
      'password',
      'code',
      'totp',
      'proved',
    ]);
  });

  it('tells the same to an outsider whether or not a person exists, however often they try', async () => {
    const planner = await connectedApplication(inst.owner, 'Probe');
    await personWithApp(inst.owner, 'hedda.lund');
    const leaver = await personWithApp(inst.owner, 'ivo.sandgren');
    await inst.owner.call('people.deactivate', { params: { id: leaver.id } });
    await inst.owner.call('people.add', { body: { displayName: 'No Password', loginNames: ['no.password'] } });
    const client = app(planner.key);
    const seen = async (loginName: string) => {
      const answers: unknown[] = [];
      for (let round = 0; round < 2; round++) {
        let view = await client.call('signIns.begin', { body: { loginName } });
        answers.push({ ...view, id: 0, expiresAt: 0 });
        while (view.state === 'asking' && !view.retryAt) {
          view = await client.call('signIns.prove', {
            params: { id: view.id },
            body: { kind: 'password', value: 'a wrong password' },
          });
          answers.push({ ...view, id: 0, expiresAt: 0, retryAt: view.retryAt !== null });
        }
      }
      return answers;
    };
    const known = await seen('hedda.lund');
    expect(known).toHaveLength(8);
    for (const name of ['nobody.at.all', 'ivo.sandgren', 'no.password', 'not a name!'])
      expect(await seen(name)).toEqual(known);
    const rows = await inst.owner.call('activity.list', { query: { state: 'refused', limit: 4 } });
    expect(rows.rows.map((row) => row.reason)).toEqual([
      'person-unknown',
      'no-password-set',
      'person-deactivated',
      'person-unknown',
    ]);
  });

  it('a claimed password leads to the code, of a decoy too; somebody without a factor must enrol first', async () => {
    const vpn = await connectedApplication(inst.owner, 'Remote Desk VPN', { claims: ['password-checked'] });
    await personWithApp(inst.owner, 'yara.duarte');
    await inst.owner.call('people.add', { body: { displayName: 'Kit', loginNames: ['kit'] } });
    const begin = (loginName: string) =>
      app(vpn.key).call('signIns.begin', { body: { loginName, carries: ['code'], claims: { passwordChecked: true } } });
    expect(await begin('yara.duarte')).toMatchObject({ state: 'asking', prompt: { kind: 'code', methods: ['totp'] } });
    expect(await begin('kit')).toMatchObject({ state: 'enrol-first', reason: 'no-usable-authenticator', person: null });
    const decoy = await begin('nobody.there');
    expect(decoy).toMatchObject({ state: 'asking', prompt: { kind: 'code', methods: ['totp'] } });
    expect(
      await app(vpn.key).call('signIns.prove', { params: { id: decoy.id }, body: { kind: 'code', value: '123456' } }),
    ).toMatchObject({ state: 'asking', reason: 'wrong-proof' });
  });

  it('somebody who is deactivated between password and code is not let in, with the right code neither', async () => {
    const leaver = await personWithApp(inst.owner, 'ivo.leaves');
    const vpn = await connectedApplication(inst.owner, 'Leaving VPN', { claims: ['password-checked'] });
    const client = app(vpn.key);
    const begin = async () =>
      await client.call('signIns.begin', { body: { loginName: 'ivo.leaves', claims: { passwordChecked: true } } });
    const begun = await begin();
    await inst.owner.call('people.deactivate', { params: { id: leaver.id } });
    const prove = async (id: string) =>
      await client.call('signIns.prove', { params: { id }, body: { kind: 'code', value: leaver.phone.next() } });
    expect(await prove(begun.id)).toMatchObject({ state: 'asking', reason: 'wrong-proof', person: null });
    await inst.owner.call('people.reactivate', { params: { id: leaver.id } });
    expect((await prove((await begin()).id)).state).toBe('let-in');
  });

  it('keeps sign-ins apart by connection, and keys by scope and end', async () => {
    const mine = await connectedApplication(inst.owner, 'Mine');
    const other = await connectedApplication(inst.owner, 'Other');
    const reader = await connectedApplication(inst.owner, 'Reader', { scopes: ['read'] });
    const { id } = await app(mine.key).call('signIns.begin', { body: { loginName: 'x' } });
    for (const key of [other.key]) {
      await expect(app(key).call('signIns.show', { params: { id } })).rejects.toMatchObject({ code: 'not-found' });
      await expect(
        app(key).call('signIns.prove', { params: { id }, body: { kind: 'password', value: 'x' } }),
      ).rejects.toMatchObject({ code: 'not-found' });
      await expect(app(key).call('signIns.cancel', { params: { id } })).rejects.toMatchObject({ code: 'not-found' });
    }
    await expect(app(reader.key).call('signIns.begin', { body: { loginName: 'x' } })).rejects.toMatchObject({
      code: 'scope-missing',
    });
    for (const wrong of [mine.key.slice(0, -1) + (mine.key.endsWith('a') ? 'b' : 'a'), inst.ownerToken, 'nonsense', ''])
      await expect(app(wrong).call('signIns.begin', { body: { loginName: 'x' } })).rejects.toMatchObject({
        code: 'wrong-key',
      });
    await expect(app(mine.key).call('people.list')).rejects.toMatchObject({ code: 'not-signed-in' });
    const rotated = await inst.owner.call('connectionKeys.issue', {
      params: { id: mine.connection },
      body: { overlapHours: 1 },
    });
    for (const key of [mine.key, rotated.key!])
      expect((await app(key, 1).call('signIns.show', { params: { id } })).state).toBe('asking');
    await inst.owner.call('connectionKeys.issue', { params: { id: mine.connection }, body: { overlapHours: 0 } });
    await expect
      .poll(() =>
        app(mine.key)
          .call('signIns.show', { params: { id } })
          .then(
            () => 'works',
            (e: { code: string }) => e.code,
          ),
      )
      .toBe('wrong-key');
    expect(await app(other.key).call('signIns.begin', { body: { loginName: 'x', carries: ['code'] } })).toMatchObject({
      state: 'refused',
      reason: 'prompt-not-carried',
    });
    const given = await app(other.key).call('signIns.begin', { body: { loginName: 'x' } });
    expect(await app(other.key).call('signIns.cancel', { params: { id: given.id } })).toMatchObject({
      state: 'refused',
      reason: 'cancelled',
    });
  });
});

describe('two nodes on one database', () => {
  it('of 50 parallel uses of one code over both, exactly one is let in', async () => {
    const dov = await personWithApp(inst.owner, 'dov.arkwright');
    const vpn = await connectedApplication(inst.owner, 'VPN one', { claims: ['password-checked'] });
    const begun = await Promise.all(
      Array.from({ length: 50 }, (_, i) =>
        app(vpn.key, i % 2).call('signIns.begin', {
          body: { loginName: 'dov.arkwright', claims: { passwordChecked: true } },
        }),
      ),
    );
    const code = dov.phone.next();
    const results = await outcomes(
      begun.map(({ id }, i) =>
        app(vpn.key, i % 2).call('signIns.prove', { params: { id }, body: { kind: 'code', value: code } }),
      ),
    );
    const states = results.map((one) => (typeof one === 'string' ? one : one.state));
    expect(states.filter((state) => state === 'let-in')).toHaveLength(1);
    expect(new Set(states)).toEqual(new Set(['let-in', 'asking']));
    const stories = await Promise.all(begun.map(({ id }) => inst.owner.call('activity.show', { params: { id } })));
    expect(new Set(stories.map((story) => story.reason))).toEqual(
      new Set(['proved', 'code-already-used', 'throttled']),
    );
  });

  it('a retried request gets its first outcome, on the other node too, and parallel retries do the work once', async () => {
    const noor = await personWithApp(inst.owner, 'noor.haddad');
    const vpn = await connectedApplication(inst.owner, 'VPN two', { claims: ['password-checked'] });
    const begin = {
      body: { loginName: 'noor.haddad', claims: { passwordChecked: true as const } },
      idempotencyKey: 'begin-0001',
    };
    const [a, b] = await Promise.all([
      app(vpn.key, 0).call('signIns.begin', begin),
      app(vpn.key, 1).call('signIns.begin', begin),
    ]);
    expect(a).toEqual(b);
    const proof = {
      params: { id: a.id },
      body: { kind: 'code' as const, value: noor.phone.next() },
      idempotencyKey: 'proof-0001',
    };
    const results = await outcomes(
      Array.from({ length: 12 }, (_, i) => app(vpn.key, i % 2).call('signIns.prove', proof)),
    );
    expect(results.map((one) => (typeof one === 'string' ? one : one.state))).toEqual(Array(12).fill('let-in'));
    await expect(
      app(vpn.key, 1).call('signIns.prove', { ...proof, body: { ...proof.body, value: '111111' } }),
    ).rejects.toMatchObject({ code: 'key-reused' });
  });

  it('a show-once answer comes again to who repeats the request, and stands sealed in between', async () => {
    const body = { displayName: 'Cato Wray', loginNames: ['cato.wray'] };
    const person = await inst.owner.call('people.add', { body, idempotencyKey: 'add-cato-1' });
    expect(await inst.nodes[1]!.owner.call('people.add', { body, idempotencyKey: 'add-cato-1' })).toEqual(person);
    await expect(inst.owner.call('people.add', { body, idempotencyKey: 'add-cato-2' })).rejects.toMatchObject({
      code: 'login-name-taken',
    });
    const begun = await inst.owner.call('totp.begin', {
      params: { id: person.id },
      body: {},
      idempotencyKey: 'totp-cato-1',
    });
    expect(
      (
        await inst.nodes[1]!.owner.call('totp.begin', {
          params: { id: person.id },
          body: {},
          idempotencyKey: 'totp-cato-1',
        })
      ).keyUri,
    ).toBe(begun.keyUri);
    const secret = /secret=([A-Z2-7]+)/.exec(begun.keyUri)![1]!;
    const [outcome] = await inst.sql<{ n: number }>('SELECT COUNT(*) AS n FROM outcomes WHERE sealed LIKE ?', [
      `%${secret}%`,
    ]);
    expect(outcome!.n).toBe(0);
    expect((await inst.owner.call('keyring.show', { params: { id: person.id } })).authenticators).toHaveLength(1);
  });

  it('counts parallel guesses one by one: of 40 at once no more than five are looked at', async () => {
    await personWithApp(inst.owner, 'gunnar.eide');
    const vpn = await connectedApplication(inst.owner, 'VPN three', { claims: ['password-checked'] });
    const begun = await Promise.all(
      Array.from({ length: 40 }, (_, i) =>
        app(vpn.key, i % 2).call('signIns.begin', {
          body: { loginName: 'gunnar.eide', claims: { passwordChecked: true } },
        }),
      ),
    );
    const results = await outcomes(
      begun.map(({ id }, i) =>
        app(vpn.key, i % 2).call('signIns.prove', {
          params: { id },
          body: { kind: 'code', value: String(100_000 + i) },
        }),
      ),
    );
    const reasons = results.map((one) => (typeof one === 'string' ? one : one.reason));
    expect(reasons.filter((reason) => reason === 'wrong-proof')).toHaveLength(5);
    expect(reasons.filter((reason) => reason === 'throttled')).toHaveLength(35);
    // The same holds for passwords, which are checked outside any lock.
    const planner = await connectedApplication(inst.owner, 'Planner three');
    const asked = await Promise.all(
      Array.from({ length: 20 }, (_, i) =>
        app(planner.key, i % 2).call('signIns.begin', { body: { loginName: 'gunnar.eide' } }),
      ),
    );
    const tried = await outcomes(
      asked.map(({ id }, i) =>
        app(planner.key, i % 2).call('signIns.prove', {
          params: { id },
          body: { kind: 'password', value: `guess number ${i}` },
        }),
      ),
    );
    expect(tried.filter((one) => typeof one !== 'string' && one.reason === 'wrong-proof')).toHaveLength(5);
  });

  it('a stranger cannot shut somebody out who comes from where they came before', async () => {
    const maelle = await personWithApp(inst.owner, 'maelle.corin');
    const planner = await connectedApplication(inst.owner, 'Planner four', {
      claims: ['source-address', 'password-checked'],
    });
    const from = async (sourceAddress: string, value: string) => {
      const { id } = await app(planner.key).call('signIns.begin', {
        body: { loginName: 'maelle.corin', claims: { sourceAddress, passwordChecked: true } },
      });
      return await app(planner.key).call('signIns.prove', { params: { id }, body: { kind: 'code', value } });
    };
    expect((await from('198.51.100.20', maelle.phone.next())).state).toBe('let-in');
    for (let i = 0; i < 6; i++) await from('203.0.113.66', '000000');
    expect(await from('203.0.113.67', maelle.phone.next())).toMatchObject({ state: 'asking', reason: 'throttled' });
    expect((await from('198.51.100.99', maelle.phone.next())).state).toBe('let-in');
    const keyring = await inst.owner.call('keyring.show', { params: { id: maelle.id } });
    const totp = keyring.authenticators.find((one) => one.method === 'totp')!;
    expect(totp.guard.familiar.failures).toBe(0);
    expect(totp.guard.stranger.failures).toBeGreaterThanOrEqual(5);
    await inst.owner.call('authenticators.unlock', { params: { id: totp.id } });
    expect((await from('203.0.113.67', maelle.phone.next())).state).toBe('let-in');
  });
});

describe('a walk-through', () => {
  it('does the same by hand, tells the whole story, and belongs to who began it', async () => {
    const { phone } = await personWithApp(inst.owner, 'rosalind.quay');
    const planner = await connectedApplication(inst.owner, 'Planner five');
    const walk = await inst.owner.call('walkThroughs.begin', {
      body: { applicationId: planner.id, loginName: 'rosalind.quay', claims: { passwordChecked: true } },
    });
    expect(walk.signIn.prompt?.kind).toBe('code');
    await expect(app(planner.key).call('signIns.show', { params: { id: walk.signIn.id } })).rejects.toMatchObject({
      code: 'not-found',
    });
    const done = await inst.owner.call('walkThroughs.prove', {
      params: { id: walk.signIn.id },
      body: { kind: 'code', value: phone.next() },
    });
    expect(done).toMatchObject({
      signIn: { state: 'let-in' },
      story: { walkThrough: true, claims: ['password-checked'] },
    });
  });
});

describe('enrolling an app', () => {
  it('says whether the clock is off, asks for two codes where the settings say so, and shows the key once', async () => {
    const person = await inst.owner.call('people.add', {
      body: { displayName: 'Bram Oster', loginNames: ['bram.oster'] },
    });
    const begun = await inst.owner.call('totp.begin', {
      params: { id: person.id },
      body: {
        algorithm: 'SHA512',
        digits: 8,
        period: 60,
        carrier: { kind: 'phone', label: 'Bram’s phone', serial: 'WX-7' },
      },
    });
    expect(begun.qrSvg).toContain('<svg');
    expect(Buffer.from(begun.qrPng, 'base64').subarray(1, 4).toString()).toBe('PNG');
    const phone = new Phone(begun.keyUri);
    const id = begun.authenticator.id;
    const prove = (...codes: string[]) => inst.owner.call('totp.prove', { params: { id }, body: { codes } });
    await expect(prove(phone.at(1800))).rejects.toMatchObject({
      code: 'clock-off',
      problem: { facts: { direction: 'ahead', minutes: 30 } },
    });
    await expect(prove('00000000')).rejects.toMatchObject({ code: 'code-wrong' });
    const { settings, version } = await inst.owner.call('settings.show');
    const edited = await inst.owner.call('settings.edit', {
      body: { ...settings, totp: { ...settings.totp, codesToProve: 2 } },
      ifMatch: version,
    });
    await expect(prove(phone.at(0))).rejects.toMatchObject({ code: 'invalid-input' });
    await expect(prove(phone.at(0), phone.at(120))).rejects.toMatchObject({ code: 'codes-not-consecutive' });
    expect(await prove(phone.at(0), phone.at(60))).toMatchObject({
      state: 'active',
      totp: { algorithm: 'SHA512', digits: 8, period: 60 },
    });
    await expect(prove(phone.at(0), phone.at(60))).rejects.toMatchObject({ code: 'wrong-state' });
    await inst.owner.call('settings.edit', { body: settings, ifMatch: edited.version });
    const keyring = await inst.owner.call('keyring.show', { params: { id: person.id } });
    expect(JSON.stringify(keyring)).not.toContain(/secret=([A-Z2-7]+)/.exec(begun.keyUri)![1]);
    expect(keyring.carriers).toMatchObject([{ label: 'Bram’s phone', serial: 'WX-7' }]);
    // One device has one holder; it is freed where it stands, then it can go to somebody else.
    const heir = await inst.owner.call('people.add', { body: { displayName: 'Oda', loginNames: ['oda'] } });
    const give = async (serial: string) =>
      await inst.owner.call('totp.begin', {
        params: { id: heir.id },
        body: { carrier: { kind: 'phone', label: 'Oda’s', serial } },
      });
    await expect(give('w')).rejects.toMatchObject({ code: 'invalid-input' });
    await expect(give('wx 7')).rejects.toMatchObject({
      code: 'serial-taken',
      problem: { facts: { name: 'Bram Oster' } },
    });
    const edit = async (body: { serial: string | null }) =>
      await inst.owner.call('carriers.edit', { params: { id: keyring.carriers[0]!.id }, body });
    expect(await edit({ serial: null })).toMatchObject({ label: 'Bram’s phone', serial: null });
    await give('wx 7');
    await expect(edit({ serial: 'WX7' })).rejects.toMatchObject({ code: 'serial-taken' });
    expect((await inst.owner.call('people.list', { query: { q: 'wx-7' } })).rows).toMatchObject([
      { serials: ['wx 7'] },
    ]);
    for (const [verb, state] of [
      ['suspend', 'suspended'],
      ['resume', 'active'],
      ['revoke', 'revoked'],
    ] as const)
      expect((await inst.owner.call(`authenticators.${verb}`, { params: { id } })).state).toBe(state);
    await expect(inst.owner.call('authenticators.resume', { params: { id } })).rejects.toMatchObject({
      code: 'wrong-state',
    });
    const [row] = await inst.sql<{ secret_sealed: Buffer | null }>(
      'SELECT secret_sealed FROM authenticators WHERE id = ?',
      [Buffer.from(id.replaceAll('-', ''), 'hex')],
    );
    expect(row!.secret_sealed).toBeNull();
  });
});
