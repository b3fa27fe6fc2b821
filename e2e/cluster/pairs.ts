import { setTimeout as delay } from 'node:timers/promises';
import { createClient } from '@nimble-latch/api/client';
import { chore } from '../../scripts/lib/installation.mjs';
import { administrator } from '../support/administrators.js';
import type { OnCluster } from '../support/cluster.js';
import { Fob } from '../support/counters.js';
import { connectedApplication, PASSWORD, personWithApp, Phone, type Node } from '../support/installation.js';
import { CONSOLE, rulebookOf } from '../support/rulebooks.js';
import { ownPairsOn } from './own-pairs.js';
import { pair, type Pair } from './pair.js';

/** @param of the cluster, once it runs */
export function pairsOn(of: () => OnCluster): Readonly<Record<string, Pair<unknown>>> {
  const hex = (id: string) => id.replaceAll('-', '');
  const sql = async <T>(text: string, values: unknown[] = []) => await of().installation.sql<T>(text, values);
  const owner = () => of().installation.nodes[0]!.owner;
  const person = async (n: string) =>
    (await owner().call('people.add', { body: { displayName: n, loginNames: [n] } })).id;
  const stateOf = async (id: string) =>
    (await sql<{ state: string }>('SELECT state FROM persons WHERE id = UNHEX(?)', [hex(id)]))[0]?.state;
  const rolesOf = async (id: string) =>
    (await sql<{ role: string }>('SELECT role FROM role_grants WHERE person_id = UNHEX(?)', [hex(id)])).map(
      ({ role }) => role,
    );
  const token = async (n: string) =>
    (await owner().call('stock.add', { body: { serial: `S-${n}`, secret: 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ' } })).id;
  const tokenOf = async (id: string) =>
    await sql('SELECT state, HEX(person_id) AS person FROM tokens WHERE id = UNHEX(?)', [hex(id)]);

  /** Somebody with a pass for one use, and two sign-ins of theirs that ask for a code. */
  const passing = async (n: string) => {
    const id = await person(n);
    const { pass, code } = await owner().call('passes.give', { params: { id }, body: { reason: 'pair', uses: 1 } });
    key ??= (await connectedApplication(owner(), 'Crane Log', { claims: ['password-checked'] })).key;
    const app = of().installation.client(of().installation.url, key);
    const begin = async () =>
      (await app.call('signIns.begin', { body: { loginName: n, claims: { passwordChecked: true } } })).id;
    return { pass: pass.id, code, first: await begin(), second: await begin() };
  };
  const answerBy = async ({ url }: Node, id: string, value: string) => {
    const app = of().installation.client(url, key);
    const { state } = await app.call('signIns.prove', { params: { id }, body: { kind: 'code', value } });
    // Who comes too late is not refused: they are asked again.
    if (state !== 'let-in') throw Object.assign(new Error(state), { code: state });
  };
  const passOf = async (id: string) =>
    await sql(
      'SELECT v.uses, v.ended_why, a.state FROM passes v JOIN authenticators a ON a.id = v.authenticator_id WHERE a.id = UNHEX(?)',
      [hex(id)],
    );

  let key: string | undefined;
  const drafted = async (n: string) => {
    await connectedApplication(owner(), `At ${n}`);
    const { version } = await owner().call('rulebookDraft.show');
    const text = rulebookOf([CONSOLE, `{ rule: ${n}, at: { applications: [At ${n}] }, then: let in }`]);
    await owner().call('rulebookDraft.save', { body: { text }, ifMatch: version });
    const { lockedOut } = await owner().call('rulebookDraft.review');
    return { lockedOut: lockedOut.people, number: (await owner().call('rulebook.show')).number };
  };
  const checkedFile = async (n: string) => {
    const { id, columns, rules } = await owner().call('imports.receive', {
      query: { kind: 'people', fileName: `${n}.csv` },
      file: new Blob([`Name,Login\n${[1, 2, 3].map((i) => `Crew ${n} ${i},${n}.crew.${i}`).join('\n')}\n`]),
    });
    const meanings = columns.map(({ meaning }) => meaning);
    await owner().call('imports.check', { params: { id }, body: { columns: meanings, rules, saveAs: null } });
    await importEnded(id);
    return { id, n, version: (await owner().call('imports.show', { params: { id } })).version };
  };
  /** What an import is when nothing goes on in it; nothing where it is gone. */
  const importEnded = async (id: string): Promise<string | undefined> => {
    for (;;) {
      const [row] = await sql<{ state: string }>('SELECT state FROM imports WHERE id = UNHEX(?)', [hex(id)]);
      if (row?.state !== 'checking' && row?.state !== 'applying') return row?.state;
      await delay(50);
    }
  };
  const crewOf = async (n: string) =>
    await sql('SELECT COUNT(*) AS n FROM login_names WHERE value LIKE ?', [`${n}.crew.%`]);
  const bulkEnded = async (id: string): Promise<void> => {
    while ((await owner().call('bulkChanges.show', { params: { id } })).state !== 'done') await delay(30);
  };
  let second: string | undefined;
  /** Countersignatures are asked for from now on; nodes learn of it within seconds. */
  const signing = async (): Promise<string> => {
    if (second === undefined) {
      second = (await administrator(of().installation, 'second.owner', 'owner')).token;
      await sql(
        `UPDATE settings SET data = JSON_SET(data, '$.countersign.actions', JSON_ARRAY('role-change')), version = version + 1`,
      );
      await delay(4_000);
    }
    return second;
  };
  const asked = async (n: string) => {
    const by = await signing();
    const id = await person(n);
    const problem = await owner()
      .call('roles.grant', { params: { id, role: 'auditor' }, body: {} })
      .then(
        () => undefined,
        (error: unknown) => error as { code: string; problem: { facts: { request?: string } } },
      );
    const request = problem?.problem.facts.request;
    if (request === undefined) throw new Error(`no signature was asked for: ${problem?.code}`);
    return { id, second: by, request };
  };
  /** How those for somebody stand. What is still open is closed: one administrator may leave fifty waiting, and rounds are more. */
  const requestsFor = async (id: string) => {
    const states = await sql('SELECT state FROM signature_requests WHERE person_id = UNHEX(?) ORDER BY asked_at', [
      hex(id),
    ]);
    await sql("UPDATE signature_requests SET state = 'withdrawn' WHERE person_id = UNHEX(?) AND state = 'open'", [
      hex(id),
    ]);
    return states;
  };

  return {
    'two owners take the right from each other': pair({
      make: async (n) => {
        const first = await administrator(of().installation, `${n}.a`, 'owner');
        const second = await administrator(of().installation, `${n}.b`, 'owner');
        await sql("DELETE FROM role_grants WHERE role = 'owner' AND person_id NOT IN (UNHEX(?), UNHEX(?))", [
          hex(first.id),
          hex(second.id),
        ]);
        return { first, second };
      },
      one: async ({ url }, { first, second }) =>
        await of()
          .installation.client(url, first.token)
          .call('roles.revoke', { params: { id: second.id, role: 'owner' } }),
      other: async ({ url }, { first, second }) =>
        await of()
          .installation.client(url, second.token)
          .call('roles.revoke', { params: { id: first.id, role: 'owner' } }),
      left: async ({ first, second }) => {
        const owners = [...(await rolesOf(first.id)), ...(await rolesOf(second.id))].length;
        // The owner of the other tests comes back.
        await sql(
          `INSERT IGNORE INTO role_grants (person_id, role, granted_at, limited)
         SELECT person_id, 'owner', UTC_TIMESTAMP(3), 0 FROM login_names WHERE value = 'ines.marlow'`,
        );
        return owners;
      },
    }),
    'two groups become part of each other': pair({
      make: async (n) => ({
        a: (await owner().call('groups.add', { body: { name: `${n} a` } })).id,
        b: (await owner().call('groups.add', { body: { name: `${n} b` } })).id,
      }),
      one: async (at, { a, b }) => await at.owner.call('groups.addPart', { params: { id: a, partId: b } }),
      other: async (at, { a, b }) => await at.owner.call('groups.addPart', { params: { id: b, partId: a } }),
      left: async ({ a, b }) =>
        await sql('SELECT COUNT(*) AS n FROM group_closure WHERE whole_id IN (UNHEX(?), UNHEX(?))', [hex(a), hex(b)]),
    }),
    'a role is given to somebody who is deactivated': pair({
      make: person,
      one: async (at, id) => await at.owner.call('roles.grant', { params: { id, role: 'help-desk' }, body: {} }),
      other: async (at, id) => await at.owner.call('people.deactivate', { params: { id } }),
      left: async (id) => [await stateOf(id), await rolesOf(id)],
    }),
    'an app is enrolled for somebody who is deactivated': pair({
      make: person,
      one: async (at, id) => await at.owner.call('totp.begin', { params: { id }, body: {} }),
      other: async (at, id) => await at.owner.call('people.deactivate', { params: { id } }),
      left: stateOf,
    }),
    'an app is enrolled for somebody who is deleted': pair({
      make: person,
      one: async (at, id) => await at.owner.call('totp.begin', { params: { id }, body: {} }),
      other: async (at, id) => await at.owner.call('people.delete', { params: { id } }),
      left: async (id) => [
        await stateOf(id),
        await sql("SELECT COUNT(*) AS n FROM authenticators WHERE person_id = UNHEX(?) AND state <> 'revoked'", [
          hex(id),
        ]),
      ],
    }),
    'a token is given to two people': pair({
      make: async (n) => ({ id: await token(n), a: await person(`${n}.a`), b: await person(`${n}.b`) }),
      one: async (at, { id, a }) => await at.owner.call('tokens.assign', { params: { id: a, tokenId: id } }),
      other: async (at, { id, b }) => await at.owner.call('tokens.assign', { params: { id: b, tokenId: id } }),
      left: async ({ id, a, b }) =>
        (await tokenOf(id)).map((row) =>
          JSON.stringify(row).replace(hex(a).toUpperCase(), 'a').replace(hex(b).toUpperCase(), 'b'),
        ),
    }),
    'a token is given to somebody and retired': pair({
      make: async (n) => ({ id: await token(n), a: await person(`${n}.a`) }),
      one: async (at, { id, a }) => await at.owner.call('tokens.assign', { params: { id: a, tokenId: id } }),
      other: async (at, { id }) => await at.owner.call('stock.move', { params: { id }, body: { to: 'retired' } }),
      left: async ({ id }) =>
        await sql('SELECT state, person_id IS NULL AS free FROM tokens WHERE id = UNHEX(?)', [hex(id)]),
    }),
    'the phone is reported lost while its app is taken back into use': pair({
      make: async (n) => {
        const { id, authenticator } = await personWithApp(owner(), n);
        await owner().call('authenticators.suspend', { params: { id: authenticator } });
        const { carriers } = await owner().call('keyring.show', { params: { id } });
        return { authenticator, carrier: carriers[0]!.id };
      },
      one: async (at, { authenticator }) =>
        await at.owner.call('authenticators.resume', { params: { id: authenticator } }),
      other: async (at, { carrier }) =>
        await at.owner.call('carriers.report', { params: { id: carrier }, body: { state: 'lost' } }),
      left: async ({ authenticator, carrier }) => [
        await sql('SELECT state FROM authenticators WHERE id = UNHEX(?)', [hex(authenticator)]),
        await sql('SELECT state FROM carriers WHERE id = UNHEX(?)', [hex(carrier)]),
      ],
    }),
    'an authenticator is suspended and revoked': pair({
      make: async (n) => (await personWithApp(owner(), n)).authenticator,
      one: async (at, id) => await at.owner.call('authenticators.suspend', { params: { id } }),
      other: async (at, id) => await at.owner.call('authenticators.revoke', { params: { id } }),
      left: async (id) => await sql('SELECT state FROM authenticators WHERE id = UNHEX(?)', [hex(id)]),
    }),
    'settings are changed by two who saw the same': pair({
      make: async () => await owner().call('settings.show'),
      one: async (at, { settings, version }) =>
        await at.owner.call('settings.edit', {
          body: { ...settings, totp: { ...settings.totp, window: 4 } },
          ifMatch: version,
        }),
      other: async (at, { settings, version }) =>
        await at.owner.call('settings.edit', {
          body: { ...settings, totp: { ...settings.totp, window: 5 } },
          ifMatch: version,
        }),
      left: async ({ version }) => (await owner().call('settings.show')).version - version,
    }),
    'somebody is changed by two who saw the same': pair({
      make: async (n) => ({ id: await person(n) }),
      one: async (at, { id }) =>
        await at.owner.call('people.edit', { params: { id }, body: { displayName: 'One' }, ifMatch: 1 }),
      other: async (at, { id }) =>
        await at.owner.call('people.edit', { params: { id }, body: { displayName: 'Other' }, ifMatch: 1 }),
      left: async ({ id }) => await sql('SELECT display_name, version FROM persons WHERE id = UNHEX(?)', [hex(id)]),
    }),
    'two people get the same login name': pair({
      make: async (n) => ({ a: await person(`${n}.a`), b: await person(`${n}.b`), value: `${n}.c` }),
      one: async (at, { a, value }) => await at.owner.call('loginNames.add', { params: { id: a }, body: { value } }),
      other: async (at, { b, value }) => await at.owner.call('loginNames.add', { params: { id: b }, body: { value } }),
      left: async ({ value }) => await sql('SELECT COUNT(*) AS n FROM login_names WHERE value = ?', [value]),
    }),
    'an application is connected and deleted': pair({
      make: async (n) => (await owner().call('applications.add', { body: { name: n } })).id,
      one: async (at, id) => await at.owner.call('connections.add', { params: { id }, body: {} }),
      other: async (at, id) => await at.owner.call('applications.delete', { params: { id } }),
      left: async (id) => await sql('SELECT COUNT(*) AS n FROM connections WHERE application_id = UNHEX(?)', [hex(id)]),
    }),
    'a connection gets its last key twice': pair({
      make: async (n) => {
        const { id } = await owner().call('applications.add', { body: { name: n } });
        return (await owner().call('connections.add', { params: { id }, body: {} })).connection.id;
      },
      one: async (at, id) => await at.owner.call('connectionKeys.issue', { params: { id }, body: {} }),
      other: async (at, id) => await at.owner.call('connectionKeys.issue', { params: { id }, body: {} }),
      left: async (id) =>
        await sql('SELECT COUNT(*) AS n FROM connection_keys WHERE connection_id = UNHEX(?)', [hex(id)]),
    }),
    'a group is joined and deleted': pair({
      make: async (n) => ({ id: (await owner().call('groups.add', { body: { name: n } })).id, a: await person(n) }),
      one: async (at, { id, a }) => await at.owner.call('groups.join', { params: { id, personId: a } }),
      other: async (at, { id }) => await at.owner.call('groups.delete', { params: { id } }),
      left: async ({ id }) => await sql('SELECT COUNT(*) AS n FROM group_members WHERE group_id = UNHEX(?)', [hex(id)]),
    }),
    'a request is sent twice, under the same key': pair({
      make: (n) => Promise.resolve({ n, idempotencyKey: crypto.randomUUID() }),
      one: async (at, { n, idempotencyKey }) =>
        await at.owner.call('people.add', { body: { displayName: n, loginNames: [n] }, idempotencyKey }),
      other: async (at, { n, idempotencyKey }) =>
        await at.owner.call('people.add', { body: { displayName: n, loginNames: [n] }, idempotencyKey }),
      left: async ({ n }) => await sql('SELECT COUNT(*) AS n FROM login_names WHERE value = ?', [n]),
    }),
    'a link that works once is used twice': pair({
      make: async () =>
        (await chore(await of().installation.environment(), 'owner-link', '--for', 'ines.marlow')).split('#')[1]!,
      one: async ({ url }, secret) => await createClient({ server: url }).call('links.signIn', { body: { secret } }),
      other: async ({ url }, secret) => await createClient({ server: url }).call('links.signIn', { body: { secret } }),
      left: async () => await Promise.resolve('nothing more'),
    }),
    'a draft of rules is published by two': pair({
      make: async (n) => await drafted(n),
      one: async (at, { lockedOut }) =>
        await at.owner.call('rulebook.publish', { body: { message: 'one', lockedOut } }),
      other: async (at, { lockedOut }) =>
        await at.owner.call('rulebook.publish', { body: { message: 'other', lockedOut } }),
      left: async ({ number }) => (await owner().call('rulebook.show')).number - number,
    }),
    'a draft of rules is published and discarded': pair({
      make: async (n) => await drafted(n),
      one: async (at, { lockedOut }) =>
        await at.owner.call('rulebook.publish', { body: { message: 'one', lockedOut } }),
      other: async (at) => await at.owner.call('rulebookDraft.discard'),
      left: async ({ number }) => {
        const rules = await owner().call('rulebook.show');
        return [rules.number - number, rules.draft];
      },
    }),
    'a draft of rules is saved by two who saw the same': pair({
      make: async (n) => ({ n, version: (await owner().call('rulebookDraft.show')).version }),
      one: async (at, { n, version }) =>
        await at.owner.call('rulebookDraft.save', { body: { text: `# one ${n}` }, ifMatch: version }),
      other: async (at, { n, version }) =>
        await at.owner.call('rulebookDraft.save', { body: { text: `# other ${n}` }, ifMatch: version }),
      left: async ({ n, version }) => {
        const draft = await owner().call('rulebookDraft.show');
        return [draft.text.replace(n, ''), draft.version - version];
      },
    }),
    'methods are set by two who saw the same': pair({
      make: async () => {
        const { rows, version } = await owner().call('methods.show');
        return {
          body: { rows: rows.map(({ group, cells }) => ({ group, cells })), lockedOut: 0 },
          version,
        };
      },
      one: async (at, { body, version }) => await at.owner.call('methods.edit', { body, ifMatch: version }),
      other: async (at, { body, version }) => await at.owner.call('methods.edit', { body, ifMatch: version }),
      left: async ({ version }) => (await owner().call('methods.show')).version - version,
    }),
    'a network is changed and deleted': pair({
      make: async (n) => await owner().call('networks.add', { body: { name: n, ranges: ['10.7.0.0/16'] } }),
      one: async (at, { id, version }) =>
        await at.owner.call('networks.edit', { params: { id }, body: { city: 'Wexmoor' }, ifMatch: version }),
      other: async (at, { id }) => await at.owner.call('networks.delete', { params: { id } }),
      left: async ({ id }) => await sql('SELECT COUNT(*) AS n FROM networks WHERE id = UNHEX(?)', [hex(id)]),
    }),
    'a code is shown while its holder is deactivated': pair({
      make: async (n) => {
        key ??= (await connectedApplication(owner(), 'Crane Log', { claims: ['password-checked'] })).key;
        const id = await person(n);
        await owner().call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
        const fob = new Fob(`K-${n}`);
        const tokenId = await fob.into(owner(), id);
        await owner().call('tokens.prove', { params: { id, tokenId }, body: { codes: [fob.press(), fob.press()] } });
        const begun = await of()
          .installation.client(of().installation.url, key)
          .call('signIns.begin', { body: { loginName: n, claims: { passwordChecked: true } } });
        return { id, signIn: begun.id, value: fob.press() };
      },
      one: async ({ url }, { signIn, value }) =>
        await of()
          .installation.client(url, key)
          .call('signIns.prove', { params: { id: signIn }, body: { kind: 'code', value } }),
      other: async (at, { id }) => await at.owner.call('people.deactivate', { params: { id } }),
      left: async ({ id, signIn }) => [
        await stateOf(id),
        await sql('SELECT state FROM sign_ins WHERE id = UNHEX(?)', [hex(signIn)]),
      ],
    }),
    'an app is proved twice by the same code': pair({
      make: async (n) => {
        const id = await person(n);
        const begun = await owner().call('totp.begin', { params: { id }, body: {} });
        return { id: begun.authenticator.id, codes: [new Phone(begun.keyUri).next()] };
      },
      one: async (at, { id, codes }) => await at.owner.call('totp.prove', { params: { id }, body: { codes } }),
      other: async (at, { id, codes }) => await at.owner.call('totp.prove', { params: { id }, body: { codes } }),
      left: async ({ id }) => await sql('SELECT state FROM authenticators WHERE id = UNHEX(?)', [hex(id)]),
    }),
    'a file is applied twice': pair({
      make: async (n) => await checkedFile(n),
      one: async (at, { id, version }) =>
        await at.owner.call('imports.apply', { params: { id }, body: {}, ifMatch: version }),
      other: async (at, { id, version }) =>
        await at.owner.call('imports.apply', { params: { id }, body: {}, ifMatch: version }),
      left: async ({ id, n }) => [await importEnded(id), await crewOf(n)],
    }),
    'a file is applied and discarded': pair({
      make: async (n) => await checkedFile(n),
      one: async (at, { id, version }) =>
        await at.owner.call('imports.apply', { params: { id }, body: {}, ifMatch: version }),
      other: async (at, { id }) => await at.owner.call('imports.discard', { params: { id } }),
      left: async ({ id, n }) => [await importEnded(id), await crewOf(n)],
    }),
    'a change to many people is taken back twice': pair({
      make: async (n) => {
        const people = [await person(`${n}.a`), await person(`${n}.b`)];
        const group = (await owner().call('groups.add', { body: { name: n } })).id;
        const { id } = await owner().call('bulkChanges.begin', {
          body: { kind: 'join', group, who: { ids: people }, expect: people.length },
        });
        await bulkEnded(id);
        return { id, group };
      },
      one: async (at, { id }) => await at.owner.call('bulkChanges.undo', { params: { id } }),
      other: async (at, { id }) => await at.owner.call('bulkChanges.undo', { params: { id } }),
      left: async ({ id, group }) => {
        const undoing = await sql<{ id: string }>('SELECT HEX(id) AS id FROM bulk_changes WHERE undoes = UNHEX(?)', [
          hex(id),
        ]);
        for (const one of undoing)
          await bulkEnded(one.id.toLowerCase().replace(/^(.{8})(.{4})(.{4})(.{4})/, '$1-$2-$3-$4-'));
        return [
          undoing.length,
          await sql('SELECT COUNT(*) AS n FROM group_members WHERE group_id = UNHEX(?)', [hex(group)]),
        ];
      },
    }),
    'one use of a pass is taken twice': pair({
      make: async (n) => await passing(n),
      one: async (at, { first, code }) => await answerBy(at, first, code),
      other: async (at, { second, code }) => await answerBy(at, second, code),
      left: async ({ pass }) => await passOf(pass),
    }),
    'a pass is used and withdrawn': pair({
      make: async (n) => await passing(n),
      one: async (at, { first, code }) => await answerBy(at, first, code),
      other: async (at, { pass }) => await at.owner.call('passes.withdraw', { params: { id: pass } }),
      left: async ({ pass }) => await passOf(pass),
    }),
    ...ownPairsOn(of),
    'the last pass that somebody may give is given twice': pair({
      make: async (n) => {
        await sql('DELETE FROM passes');
        await sql("UPDATE settings SET data = JSON_SET(data, '$.passes.owner.open', 1)");
        return await person(n);
      },
      one: async (at, id) => await at.owner.call('passes.give', { params: { id }, body: { reason: 'one' } }),
      other: async (at, id) => await at.owner.call('passes.give', { params: { id }, body: { reason: 'other' } }),
      left: async (id) => await sql('SELECT COUNT(*) AS n FROM authenticators WHERE person_id = UNHEX(?)', [hex(id)]),
    }),
    'recovery codes are made twice': pair({
      make: person,
      one: async (at, id) => await at.owner.call('recovery.make', { params: { id } }),
      other: async (at, id) => await at.owner.call('recovery.make', { params: { id } }),
      left: async (id) =>
        await sql(
          `SELECT a.state, a.carrier_id = (SELECT MIN(c.id) FROM carriers c WHERE c.person_id = a.person_id) AS first,
             (SELECT COUNT(*) FROM recovery_codes r WHERE r.authenticator_id = a.id) AS n
           FROM authenticators a WHERE a.person_id = UNHEX(?) ORDER BY a.state`,
          [hex(id)],
        ),
    }),
    // From here on with countersignatures.
    'a signature is asked for twice, for the same': pair({
      make: async (n) => {
        await signing();
        return await person(n);
      },
      one: async (at, id) => await at.owner.call('roles.grant', { params: { id, role: 'auditor' }, body: {} }),
      other: async (at, id) => await at.owner.call('roles.grant', { params: { id, role: 'auditor' }, body: {} }),
      left: requestsFor,
    }),
    'a signature is given and withdrawn': pair({
      make: async (n) => await asked(n),
      one: async ({ url }, { request, second }) =>
        await of()
          .installation.client(url, second)
          .call('signatures.give', { params: { id: request } }),
      other: async (at, { request }) => await at.owner.call('signatures.withdraw', { params: { id: request } }),
      left: async ({ id }) => await requestsFor(id),
    }),
    'a signature is given and refused': pair({
      make: async (n) => await asked(n),
      one: async ({ url }, { request, second }) =>
        await of()
          .installation.client(url, second)
          .call('signatures.give', { params: { id: request } }),
      other: async ({ url }, { request, second }) =>
        await of()
          .installation.client(url, second)
          .call('signatures.refuse', { params: { id: request }, body: { reason: 'no' } }),
      left: async ({ id }) => await requestsFor(id),
    }),
    'what was signed is done twice': pair({
      make: async (n) => {
        const made = await asked(n);
        await of()
          .installation.client(of().installation.url, made.second)
          .call('signatures.give', { params: { id: made.request } });
        return made;
      },
      one: async (at, { id }) => await at.owner.call('roles.grant', { params: { id, role: 'auditor' }, body: {} }),
      other: async (at, { id }) => await at.owner.call('roles.grant', { params: { id, role: 'auditor' }, body: {} }),
      left: async ({ id }) => [await requestsFor(id), await rolesOf(id)],
    }),
  };
}
