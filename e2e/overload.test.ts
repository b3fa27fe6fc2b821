import { setTimeout as delay } from 'node:timers/promises';
import type { ApiError } from '@nimble-latch/api/client';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connectedApplication, Installation, PASSWORD, personWithApp } from './support/installation.js';
import { publish, rulebookOf } from './support/rulebooks.js';

let inst: Installation;
beforeAll(async () => {
  inst = await Installation.start(1, {}, { processes: true });
});
afterAll(async () => await inst.stop());

const guards = async (id: string) =>
  (
    await inst.sql<{ familiar_failures: number; stranger_failures: number }>(
      "SELECT familiar_failures, stranger_failures FROM authenticators WHERE password_of = UNHEX(REPLACE(?, '-', ''))",
      [id],
    )
  )[0];

describe('more passwords than can be checked', () => {
  it('are turned away with a time to come back, count for nobody, and leave codes and other sources alone', async () => {
    const flooded = await connectedApplication(inst.owner, 'Flooded Gateway', { claims: ['password-checked'] });
    const quiet = await connectedApplication(inst.owner, 'Quiet Gateway');
    const victim = await personWithApp(inst.owner, 'vera.victim');
    const walker = await personWithApp(inst.owner, 'walt.walker');
    const [at, aside] = [inst.client(inst.url, flooded.key), inst.client(inst.url, quiet.key)];
    const begin = async (loginName: string, where = at) =>
      (await where.call('signIns.begin', { body: { loginName } })).id;
    const password = async (id: string, where = at) =>
      await where.call('signIns.prove', { params: { id }, body: { kind: 'password', value: PASSWORD } });
    const open = await Promise.all(Array.from({ length: 120 }, (_, i) => begin(`nobody.${i}`)));
    const [mine, other] = [await begin('vera.victim'), await begin('walt.walker', aside)];
    const code = await at.call('signIns.begin', {
      body: { loginName: 'vera.victim', claims: { passwordChecked: true } },
    });

    // Whoever is turned away comes soon again, as clients do that were never told better; no more of them than it takes, since other tests
    // are at work beside this one.
    let over = false;
    const busy: ApiError[] = [];
    const flood = Promise.all(
      open.map(async (id) => {
        while (!over) {
          const outcome = await password(id).catch((error: ApiError) => error);
          if (!(outcome instanceof Error)) return;
          busy.push(outcome);
          await delay(25);
        }
      }),
    );
    await expect.poll(() => busy.length).toBeGreaterThan(50);
    const turned: ApiError[] = [];
    for (let i = 0; i < 7; i++)
      turned.push(
        ...(
          await Promise.all([
            password(mine).then(
              () => [],
              (error: ApiError) => [error],
            ),
          ])
        ).flat(),
      );
    // Codes need no such check, and whoever comes from elsewhere has a share of their own.
    const byCode = await at.call('signIns.prove', {
      params: { id: code.id },
      body: { kind: 'code', value: victim.phone.next() },
    });
    expect(byCode.state).toBe('let-in');
    expect(await password(other, aside)).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    over = true;
    await flood;
    for (const { problem } of [...busy, ...turned].filter((one) => one.problem.code !== 'invalid-input')) {
      expect(problem).toMatchObject({ code: 'throttled', status: 429 });
      expect(problem.facts!['seconds']).toBeGreaterThan(0);
    }
    expect(turned.length).toBeGreaterThan(0);
    // Nobody was counted for having been turned away: the right password is right, at once.
    expect(await guards(victim.id)).toEqual({ familiar_failures: 0, stranger_failures: 0 });
    const now = await begin('vera.victim');
    expect(await password(now)).toMatchObject({ state: 'asking', prompt: { kind: 'code' } });
    expect(await guards(walker.id)).toEqual({ familiar_failures: 0, stranger_failures: 0 });
  });

  it('say in the header when to come back', async () => {
    const app = await connectedApplication(inst.owner, 'Header Gateway');
    const at = inst.client(inst.url, app.key);
    const open = await Promise.all(
      Array.from(
        { length: 120 },
        async (_, i) => (await at.call('signIns.begin', { body: { loginName: `no.${i}` } })).id,
      ),
    );
    const answers = await Promise.all(
      open.map(async (id) => {
        const answer = await fetch(`${inst.url}/api/v1/sign-ins/${id}/proofs`, {
          method: 'POST',
          headers: { authorization: `Bearer ${app.key}`, 'content-type': 'application/json' },
          body: JSON.stringify({ kind: 'password', value: 'x' }),
        });
        return [answer.status, answer.headers.get('retry-after')] as const;
      }),
    );
    const turned = answers.filter(([status]) => status === 429);
    expect(turned.length).toBeGreaterThan(0);
    for (const [, after] of turned) expect(Number(after)).toBeGreaterThan(0);
  });
});

describe('days of grace', () => {
  it('begin with a sign-in that was recorded, never with a look or a walk-through', async () => {
    const grace = rulebookOf(
      [
        '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + totp] }, grace: { days: 10, last day: 2030-01-01 } }',
      ],
      '{ ask for level: 1 }',
    );
    const app = await connectedApplication(inst.owner, 'Berth Planner');
    await publish(inst.owner, grace);
    const { id } = await inst.owner.call('people.add', { body: { displayName: 'Gus', loginNames: ['gus.grace'] } });
    await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    const begunAt = async () =>
      await inst.sql("SELECT begun_at FROM graces WHERE person_id = UNHEX(REPLACE(?, '-', ''))", [id]);
    const walked = await inst.owner.call('walkThroughs.begin', {
      body: { applicationId: app.id, loginName: 'gus.grace' },
    });
    const done = await inst.owner.call('walkThroughs.prove', {
      params: { id: walked.signIn.id },
      body: { kind: 'password', value: PASSWORD },
    });
    expect(done.signIn).toMatchObject({ state: 'let-in', reason: 'grace' });
    expect(await begunAt()).toEqual([]);
    const at = inst.client(inst.url, app.key);
    const signIn = await at.call('signIns.begin', { body: { loginName: 'gus.grace' } });
    expect(await begunAt()).toEqual([]);
    const let1 = await at.call('signIns.prove', {
      params: { id: signIn.id },
      body: { kind: 'password', value: PASSWORD },
    });
    expect(let1).toMatchObject({ state: 'let-in', reason: 'grace' });
    expect(await begunAt()).toHaveLength(1);
  });
});

describe('figures', () => {
  it('count a sign-in once, also where letting in writes a session beside it', async () => {
    const counted = async () => {
      const text = await (
        await fetch(`${inst.url}/api/v1/metrics`, { headers: { authorization: `Bearer ${inst.ownerToken}` } })
      ).text();
      return [...text.matchAll(/^nlatch_sign_ins_total\{state="let-in"[^}]*\} (\d+)$/gm)].reduce(
        (sum, [, n]) => sum + Number(n),
        0,
      );
    };
    const { phone } = await personWithApp(inst.owner, 'fay.figure');
    const before = await counted();
    const open = inst.client(inst.url, '');
    const { signIn, handle } = await open.call('own.begin', { body: { place: 'enrolment', loginName: 'fay.figure' } });
    const params = { id: signIn.id };
    const first = await open.call('own.prove', { params, body: { handle, kind: 'password', value: PASSWORD } });
    if (first.signIn.state === 'asking')
      await open.call('own.prove', { params, body: { handle, kind: 'code', value: phone.next() } });
    expect(await counted()).toBe(before + 1);
  });
});
