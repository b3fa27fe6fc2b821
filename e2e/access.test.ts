import { API_BASE, ROUTE_IDS, ROUTES, type RouteSpec } from '@nimble-latch/api';
import { LIMITABLE, ROLE_PERMISSIONS } from '../packages/core/src/access/index.js';
import { ROLES } from '@nimble-latch/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administrator, tokenOf, withSignature, type Administrator } from './support/administrators.js';
import { Installation, PASSWORD, personWithApp } from './support/installation.js';

let inst: Installation;
beforeAll(async () => {
  inst = await Installation.start();
});
afterAll(async () => await inst.stop());

const NOWHERE = '00000000-0000-7000-8000-00000000ffff';
/** Every way of writing an id that is taken: one id, whoever types it how. */
const SPELLINGS: readonly ((id: string) => string)[] = [
  (id) => id,
  (id) => id.toUpperCase(),
  (id) => id.replace(/[a-f]/, (digit) => digit.toUpperCase()),
];
const operatorRoutes = ROUTE_IDS.flatMap((id) => {
  const spec: RouteSpec = ROUTES[id];
  return spec.access.kind === 'operator' ? [{ id, spec, access: spec.access }] : [];
});

/** Calls a route with the least that it could take; whatever comes of it, a refusal for want of a right comes first. */
async function knock(token: string, spec: RouteSpec, id: string): Promise<{ status: number; code?: string }> {
  const answer = await fetch(inst.url + API_BASE + spec.path.replace(/\{role\}/, 'auditor').replace(/\{\w+\}/g, id), {
    method: spec.method,
    headers: {
      authorization: `Bearer ${token}`,
      ...(spec.body ? { 'content-type': 'application/json' } : {}),
      ...(spec.takes ? { 'content-type': spec.takes } : {}),
    },
    ...(spec.body ? { body: '{"nothing":"of this"}' } : {}),
    signal: AbortSignal.timeout(60_000),
  });
  if (spec.media === 'text/event-stream') {
    await answer.body?.cancel();
    return { status: answer.status };
  }
  const text = await answer.text();
  return { status: answer.status, ...(answer.ok ? {} : (JSON.parse(text) as { code: string })) };
}

describe('every role', () => {
  it('comes through exactly the routes whose permission it has, and each refusal is on the trail', async () => {
    for (const role of ROLES) {
      const { token, client, id: who } = await administrator(inst, `walks.as.${role}`, role);
      expect(new Set((await client.call('session.show')).permissions)).toEqual(new Set(ROLE_PERMISSIONS[role]));
      const refused: string[] = [];
      for (const { id, spec, access } of operatorRoutes) {
        const { status, code } = await knock(token, spec, NOWHERE);
        const may = ROLE_PERMISSIONS[role].includes(access.permission);
        expect([id, role, status === 403 ? code : 'through']).toEqual([id, role, may ? 'through' : 'not-permitted']);
        if (!may) refused.push(id);
      }
      const trail = await inst.owner.call('trail.list', {
        query: { actor: who, action: 'permission.refused', limit: 200 },
      });
      expect(trail.rows.map((entry) => entry.details['call']).sort()).toEqual(refused.sort());
    }
  });

  it('limited to groups reaches people in them and in their parts, one at a time, and nobody else', async () => {
    const group = async (name: string) => (await inst.owner.call('groups.add', { body: { name } })).id;
    const [quay, crane, tower] = [await group('quay'), await group('crane'), await group('tower')];
    await inst.owner.call('groups.addPart', { params: { id: quay, partId: crane } });
    const inCrane = await personWithApp(inst.owner, 'cora.crane');
    const inTower = await personWithApp(inst.owner, 'theo.tower');
    await inst.owner.call('groups.join', { params: { id: crane, personId: inCrane.id } });
    await inst.owner.call('groups.join', { params: { id: tower, personId: inTower.id } });
    const { token, client } = await administrator(inst, 'limited.custodian', 'custodian', [quay]);
    /** What each parameter may name of somebody. */
    const namedOf = async (person: string): Promise<Record<string, string>> => {
      const { authenticators, carriers } = await inst.owner.call('keyring.show', { params: { id: person } });
      const { id: round } = await inst.owner.call('invitationRounds.begin', {
        body: { who: { ids: [person] }, methods: ['webauthn'], via: 'letter', expect: 1 },
      });
      const show = async () => await inst.owner.call('invitationRounds.show', { params: { id: round } });
      await expect.poll(async () => (await show()).state).toBe('done');
      const invited = await inst.owner.call('invitations.list', { query: { person } });
      return {
        person,
        authenticator: authenticators[0]!.id,
        carrier: carriers[0]!.id,
        invitation: invited.rows[0]!.id,
        dispute: await disputed(person),
      };
    };
    /** A change that somebody says was not them; nothing is sent by mail here, so nobody could have said so. */
    const disputed = async (person: string): Promise<string> => {
      const id = person.replace(/.{4}$/, 'd15b');
      const bare = (text: string) => text.replaceAll('-', '');
      await inst.sql(
        `INSERT INTO change_notices (id, person_id, kind, label, hash, hash_key_id, at, until, disputed_at, effect)
         VALUES (UNHEX(?), UNHEX(?), 'pass.given', '', REPEAT('h', 32), REPEAT('k', 16), UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), 'told')`,
        [bare(id), bare(person)],
      );
      return id;
    };
    const [mine, theirs] = [await namedOf(inCrane.id), await namedOf(inTower.id)];
    for (const { id, spec, access } of operatorRoutes) {
      const { about } = access;
      const has = ROLE_PERMISSIONS.custodian.includes(access.permission) && LIMITABLE.has(access.permission);
      const codeFor = async (target: string) => {
        const { status, code } = await knock(token, spec, target);
        return status === 403 ? code : 'through';
      };
      const codes = ['not-permitted', 'outside-your-groups'];
      if (about === 'within') {
        expect([id, await codeFor(NOWHERE)]).toEqual([id, has ? 'through' : 'not-permitted']);
      } else if (about === 'everybody' || !has || 'signIn' in about) {
        expect(codes, id).toContain(await codeFor(NOWHERE));
      } else {
        const what = Object.keys(about)[0]!;
        const [reached, beyond] = [mine[what]!, theirs[what]!];
        for (const spelled of [...SPELLINGS, () => 'nothing-like-an-id', () => `%7B${beyond}%7D`])
          expect([id, spelled(beyond), await codeFor(spelled(beyond)), await codeFor(NOWHERE)]).toEqual([
            id,
            spelled(beyond),
            'outside-your-groups',
            'outside-your-groups',
          ]);
        // Whoever came through with a body that is no body at all has changed nothing.
        if (spec.body || spec.method === 'GET')
          for (const spelled of SPELLINGS) expect([id, await codeFor(spelled(reached))]).toEqual([id, 'through']);
      }
    }
    // Lists show whom the limit reaches, however they are asked; so do counts.
    const names = async (query: Parameters<typeof client.call<'people.list'>>[1] = {}) =>
      (await client.call('people.list', query)).rows.map((row) => row.displayName);
    const cora = 'cora.crane';
    expect(await names()).toEqual([cora]);
    expect(await names({ query: { q: 'the' } })).toEqual([]);
    expect(await names({ query: { q: 'cora' } })).toEqual([cora]);
    for (const spelled of SPELLINGS) {
      expect(await names({ query: { group: spelled(tower) } })).toEqual([]);
      expect(await names({ query: { member: spelled(tower) } })).toEqual([]);
      expect(await names({ query: { group: spelled(crane) } })).toEqual([cora]);
      expect(await client.call('people.count', { query: { group: spelled(quay) } })).toEqual({ people: 1 });
    }
    expect(await names({ query: { loginName: 'theo.tower' } })).toEqual([]);
    expect(await client.call('people.count')).toEqual({ people: 1 });
    expect(await client.call('people.counts')).toMatchObject({
      people: 1,
      state: { active: 1 },
      group: { [quay]: 1, [crane]: 1 },
    });
    expect(
      await (
        await fetch(`${inst.url}${API_BASE}/people/export`, { headers: { authorization: `Bearer ${token}` } })
      ).text(),
    ).not.toContain('theo');
    // A sign-in of somebody beyond is as hidden as they are.
    const open = inst.client(inst.url, '');
    for (const loginName of ['cora.crane', 'theo.tower']) {
      const { signIn, handle } = await open.call('console.begin', { body: { loginName } });
      await open
        .call('console.prove', { params: { id: signIn.id }, body: { handle, kind: 'password', value: 'wrong wrong' } })
        .catch(() => undefined);
    }
    const seen = (await client.call('activity.list')).rows;
    expect(seen.map((row) => row.person?.displayName)).toEqual([cora]);
    const all = (await inst.owner.call('activity.list')).rows;
    const other = all.find((row) => row.person?.id === inTower.id)!;
    await expect(client.call('activity.show', { params: { id: other.id } })).rejects.toMatchObject({
      problem: { code: 'outside-your-groups' },
    });
    expect(await client.call('activity.show', { params: { id: seen[0]!.id } })).toMatchObject({ id: seen[0]!.id });
    // The group that limits is deleted: the limit stays, and reaches nobody.
    await inst.owner.call('groups.delete', { params: { id: quay } });
    expect(await names()).toEqual([]);
    expect(await client.call('people.count')).toEqual({ people: 0 });
  });
});

describe('administrators and emergency accounts', () => {
  it('are changed by owners only, also in bulk and by files', async () => {
    const custodian = await administrator(inst, 'tries.custodian', 'custodian');
    const auditor = await administrator(inst, 'target.auditor', 'auditor');
    const locker = await personWithApp(inst.owner, 'emergency.locker');
    await inst.sql("UPDATE persons SET emergency = 1 WHERE id = UNHEX(REPLACE(?, '-', ''))", [locker.id]);
    const group = (await inst.owner.call('groups.add', { body: { name: 'night watch' } })).id;
    for (const { id } of [auditor, locker]) {
      const denied = { problem: { code: 'owners-only' } };
      const { client } = custodian;
      await expect(
        client.call('people.setPassword', { params: { id }, body: { password: PASSWORD } }),
      ).rejects.toMatchObject(denied);
      await expect(client.call('people.deactivate', { params: { id } })).rejects.toMatchObject(denied);
      await expect(client.call('totp.begin', { params: { id }, body: {} })).rejects.toMatchObject(denied);
      await expect(client.call('groups.join', { params: { id: group, personId: id } })).rejects.toMatchObject(denied);
      const [authenticator] = (await client.call('keyring.show', { params: { id } })).authenticators;
      await expect(client.call('authenticators.suspend', { params: { id: authenticator!.id } })).rejects.toMatchObject(
        denied,
      );
    }
    const plain = await personWithApp(inst.owner, 'plain.person');
    const ids = [auditor.id, locker.id, plain.id];
    const begun = await custodian.client.call('bulkChanges.begin', {
      body: { kind: 'join', group, who: { ids }, expect: 3 },
    });
    await expect
      .poll(async () => (await custodian.client.call('bulkChanges.show', { params: { id: begun.id } })).state)
      .toBe('done');
    expect(await custodian.client.call('bulkChanges.show', { params: { id: begun.id } })).toMatchObject({ changed: 1 });

    const file = `login,name\ntarget.auditor,Renamed Auditor\nplain.person,Renamed Person\n`;
    const check = async (client: Administrator['client']) => {
      const { id, columns, rules } = await client.call('imports.receive', {
        query: { kind: 'people', fileName: 'people.csv' },
        file: new Blob([file]).stream(),
      });
      const meanings = columns.map((column) => column.meaning);
      await client.call('imports.check', { params: { id }, body: { columns: meanings, rules, saveAs: null } });
      await expect.poll(async () => (await client.call('imports.show', { params: { id } })).state).toBe('checked');
      return (await client.call('imports.show', { params: { id } })).counts;
    };
    expect(await check(custodian.client)).toMatchObject({ refused: 1, changed: 1 });
    expect(await check(inst.owner)).toMatchObject({ refused: 0, changed: 2 });
  });
});

describe('an id in another spelling', () => {
  it('is the same id: to the check of own rights, of owners, in bodies, in what is sealed and on the trail', async () => {
    const custodian = await administrator(inst, 'spells.custodian', 'custodian');
    const second = await administrator(inst, 'second.signer', 'owner');
    const me = (await inst.owner.call('session.show')).person.id;
    const plain = await personWithApp(inst.owner, 'spelled.person');
    const group = (await inst.owner.call('groups.add', { body: { name: 'spelled group' } })).id;
    for (const spelled of SPELLINGS) {
      const owner = spelled(me);
      const ownersOnly = { problem: { code: 'owners-only' } };
      const call = custodian.client.call.bind(custodian.client);
      const body = { password: PASSWORD };
      await expect(call('people.setPassword', { params: { id: owner }, body })).rejects.toMatchObject(ownersOnly);
      await expect(call('totp.begin', { params: { id: owner }, body: {} })).rejects.toMatchObject(ownersOnly);
      await expect(call('people.deactivate', { params: { id: owner } })).rejects.toMatchObject(ownersOnly);
      const own = { problem: { code: 'own-rights' } };
      const grant = { params: { id: owner, role: 'auditor' as const }, body: {} };
      await expect(inst.owner.call('roles.grant', grant)).rejects.toMatchObject(own);
      await expect(inst.owner.call('roles.revoke', { params: grant.params })).rejects.toMatchObject(own);
      const marked = { params: { id: owner }, body: { emergency: true } };
      await expect(inst.owner.call('people.markEmergency', marked)).rejects.toMatchObject(own);

      // What is written by it is found by it, and opens again.
      const id = spelled(plain.id);
      const { version } = await inst.owner.call('people.show', { params: { id } });
      const edited = await inst.owner.call('people.edit', {
        params: { id },
        body: { mail: 'spelled@wexmoor.example', phone: '+49 431 555 0100' },
        ifMatch: version,
      });
      expect(edited.id).toBe(plain.id);
      expect(await custodian.client.call('people.show', { params: { id: plain.id } })).toMatchObject({
        mail: 'spelled@wexmoor.example',
      });
      await inst.owner.call('groups.join', { params: { id: spelled(group), personId: id } });
      await inst.owner.call('groups.leave', { params: { id: group, personId: plain.id } });
      for (const query of [{ person: id }, { actor: spelled(me) }]) {
        const { rows } = await inst.owner.call('trail.list', { query: { ...query, limit: 5 } });
        expect(rows.length).toBeGreaterThan(0);
      }
      // One person named in two spellings is one person, and administrators stay out of reach.
      const begun = await custodian.client.call('bulkChanges.begin', {
        body: { kind: 'join', group: spelled(group), who: { ids: [plain.id, owner] }, expect: 2 },
      });
      const change = { params: { id: spelled(begun.id) } };
      await expect.poll(async () => (await custodian.client.call('bulkChanges.show', change)).state).toBe('done');
      expect(await custodian.client.call('bulkChanges.show', change)).toMatchObject({ id: begun.id, changed: 1 });
      await inst.owner.call('groups.leave', { params: { id: group, personId: plain.id } });
      // A right that is limited to a group by another spelling of its id is limited to that group.
      const name = `limited.${SPELLINGS.indexOf(spelled)}`;
      const limited = await inst.owner.call('people.add', { body: { displayName: name, loginNames: [name] } });
      await inst.owner.call('people.setPassword', { params: { id: limited.id }, body: { password: PASSWORD } });
      await withSignature(second.client, () =>
        inst.owner.call('roles.grant', {
          params: { id: spelled(limited.id), role: 'help-desk' },
          body: { groups: [spelled(group)] },
        }),
      );
      const desk = inst.client(inst.url, await tokenOf(inst, name));
      await expect(desk.call('people.show', { params: { id } })).rejects.toMatchObject({
        problem: { code: 'outside-your-groups' },
      });
    }
    // Nothing of it makes the trail look altered: stopping the installation verifies it.
    const seen = await inst.sql(
      "SELECT 1 FROM trail_entries WHERE BINARY details REGEXP '[0-9A-F]{8}-[0-9A-F]{4}-7' LIMIT 1",
    );
    expect(seen).toEqual([]);
  });

  it('is refused where what it spells is no id', async () => {
    for (const id of [
      '',
      '0',
      '{01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11}',
      '01970a3e5c1b7c3a9f002b6d1c4e8a11',
      `${NOWHERE} `,
    ])
      expect((await knock(inst.ownerToken, ROUTES['people.show'], encodeURIComponent(id))).status).toBe(404);
  });
});

describe('a countersignature', () => {
  const grant = (by: Administrator['client'], id: string, role: 'auditor' | 'help-desk' | 'owner' = 'auditor') =>
    by.call('roles.grant', { params: { id, role }, body: {} });
  const needed = async (doing: Promise<unknown>): Promise<string> => {
    const error = (await doing.then(
      () => undefined,
      (problem: unknown) => problem,
    )) as { problem: { code: string; facts: { request: string } } };
    expect(error?.problem.code).toBe('signature-needed');
    return error.problem.facts.request;
  };

  it('of a lone owner is replaced by a waiting time; with a second one it is theirs to give or refuse', async () => {
    const fresh = await Installation.start();
    try {
      const first = fresh.owner;
      const add = async (name: string) =>
        (await first.call('people.add', { body: { displayName: name, loginNames: [name] } })).id;
      const second = await add('second.owner');
      await first.call('people.setPassword', { params: { id: second }, body: { password: PASSWORD } });
      const me = (await first.call('session.show')).person.id;
      await expect(grant(first, me, 'help-desk')).rejects.toMatchObject({ problem: { code: 'own-rights' } });

      const request = await needed(grant(first, second, 'owner'));
      // Asked again it is the same request, not another; nobody gives it to themselves.
      expect(await needed(grant(first, second, 'owner'))).toBe(request);
      await expect(first.call('signatures.give', { params: { id: request } })).rejects.toMatchObject({
        problem: { code: 'not-yours-to-sign' },
      });
      const shown = await first.call('signatures.show', { params: { id: request } });
      expect(shown).toMatchObject({ mine: true, maySign: false, consequence: { what: 'role-given' } });
      expect(Date.parse(shown.ripeAt!) - Date.parse(shown.askedAt)).toBe(60 * 60_000);
      expect(await fresh.sql("SELECT 1 FROM role_grants WHERE role = 'owner'")).toHaveLength(1);
      // The hour passes.
      await fresh.sql('UPDATE signature_requests SET asked_at = asked_at - INTERVAL 61 MINUTE');
      expect(await grant(first, second, 'owner')).toMatchObject({ role: 'owner', groups: null });
      // It was used up.
      expect((await first.call('signatures.show', { params: { id: request } })).state).toBe('done');

      const other = fresh.client(fresh.url, await tokenOf(fresh, 'second.owner'));
      const third = await add('third.person');
      const asked = await needed(grant(first, third));
      // Now there is somebody who could sign, waiting does not help.
      await fresh.sql('UPDATE signature_requests SET asked_at = asked_at - INTERVAL 61 MINUTE');
      expect(await needed(grant(first, third))).toBe(asked);
      expect((await other.call('signatures.list', { query: { waiting: 'true' } })).rows).toMatchObject([
        { id: asked, mine: false, maySign: true, ripeAt: null, person: { id: third } },
      ]);
      await other.call('signatures.refuse', { params: { id: asked }, body: { reason: 'not agreed' } });
      const again = await needed(grant(first, third));
      expect(again).not.toBe(asked);
      await other.call('signatures.give', { params: { id: again } });
      // It is good for exactly what was shown, by whoever asked.
      await needed(grant(first, third, 'help-desk'));
      await needed(grant(other, third));
      const outcomes = await Promise.allSettled([grant(first, third), grant(first, third), grant(first, third)]);
      expect(outcomes.filter((one) => one.status === 'fulfilled')).toHaveLength(1);

      // Whom it is about does not sign, and a right that was lost meanwhile signs nothing.
      const own = await needed(first.call('roles.revoke', { params: { id: second, role: 'owner' } }));
      await expect(other.call('signatures.give', { params: { id: own } })).rejects.toMatchObject({
        problem: { code: 'not-yours-to-sign' },
      });
      // One's factors are touched by another administrator only with a signature, and then not by a retry.
      const [password] = (await first.call('keyring.show', { params: { id: second } })).authenticators;
      const stop = () => first.call('authenticators.suspend', { params: { id: password!.id } });
      await needed(stop());
      await first.call('signatures.withdraw', { params: { id: await needed(stop()) } });
      const late = await needed(stop());
      await fresh.sql('UPDATE signature_requests SET expires_at = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND');
      await expect(
        other.call('signatures.refuse', { params: { id: late }, body: { reason: 'no' } }),
      ).rejects.toMatchObject({ problem: { code: 'signature-expired' } });
      // What needs a signature cannot be taken off the list without one.
      const { settings, version } = await first.call('settings.show');
      await needed(
        first.call('settings.edit', {
          body: { ...settings, countersign: { ...settings.countersign, actions: [] } },
          ifMatch: version,
        }),
      );
      const trail = await first.call('trail.list', { query: { area: 'countersignature', limit: 200 } });
      const kinds = new Set(trail.rows.map((entry) => entry.action));
      expect([...kinds].sort()).toEqual([
        'countersignature.asked',
        'countersignature.given',
        'countersignature.refused',
        'countersignature.withdrawn',
      ]);
    } finally {
      await fresh.stop();
    }
  });

  it('leaves an owner, whoever takes the last two from each other at once', async () => {
    const fresh = await Installation.start();
    try {
      const other = await administrator(fresh, 'other.owner', 'owner');
      const me = (await fresh.owner.call('session.show')).person.id;
      await fresh.sql("UPDATE settings SET data = JSON_SET(data, '$.countersign.actions', JSON_ARRAY())");
      await new Promise((resolve) => setTimeout(resolve, 3_500));
      const revoke = (by: Administrator['client'], id: string) =>
        by.call('roles.revoke', { params: { id, role: 'owner' } });
      await Promise.allSettled([revoke(fresh.owner, other.id), revoke(other.client, me)]);
      expect(await fresh.sql("SELECT 1 FROM role_grants WHERE role = 'owner'")).toHaveLength(1);
    } finally {
      await fresh.stop();
    }
  });
});
