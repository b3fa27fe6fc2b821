import { setTimeout as delay } from 'node:timers/promises';
import { createClient } from '@nimble-latch/api/client';
import type { OnCluster } from '../support/cluster.js';
import { PASSWORD, personWithApp, Phone, type Node } from '../support/installation.js';
import { pair, type Pair } from './pair.js';

/** Of what people do by themselves: by an invitation, on their own keyring, with a pass for somebody else. */
export function ownPairsOn(of: () => OnCluster): Readonly<Record<string, Pair<unknown>>> {
  const hex = (id: string) => id.replaceAll('-', '');
  const sql = async <T>(text: string, values: unknown[] = []) => await of().installation.sql<T>(text, values);
  const owner = () => of().installation.nodes[0]!.owner;
  const person = async (n: string) =>
    (await owner().call('people.add', { body: { displayName: n, loginNames: [n] } })).id;
  /** Somebody invited by a letter, come to the place for enrolling twice, with an app begun each time. */
  const invited = async (n: string) => {
    const id = await person(n);
    await owner().call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    const { id: round } = await owner().call('invitationRounds.begin', {
      body: { who: { ids: [id] }, methods: ['totp'], via: 'letter', expect: 1 },
    });
    while ((await owner().call('invitationRounds.show', { params: { id: round } })).state !== 'done') await delay(30);
    const { letters } = await owner().call('invitationRounds.print', { params: { id: round } });
    const { rows } = await owner().call('invitations.list', { query: { person: id } });
    const invitation: string = rows[0]!.id;
    const come = async () => {
      const at = createClient({ server: of().installation.url });
      const begun = await at.call('own.begin', { body: { place: 'enrolment', invitation: letters[0]!.code } });
      const proof = { kind: 'password' as const, value: PASSWORD, handle: begun.handle };
      const right = (await at.call('own.prove', { params: { id: begun.signIn.id }, body: proof })).right!;
      const app = await at.call('own.beginTotp', { body: { right } });
      return { right, app: app.authenticator.id, phone: new Phone(app.keyUri) };
    };
    return { id, invitation, first: await come(), second: await come() };
  };
  type Invited = Awaited<ReturnType<typeof invited>>;
  const proveBy = async ({ url }: Node, { right, app, phone }: Invited['first']) =>
    await createClient({ server: url }).call('own.proveTotp', {
      params: { id: app },
      body: { right, codes: [phone.next()] },
    });
  const invitedTo = async ({ id, invitation }: Invited) => [
    await sql(
      "SELECT COUNT(*) AS n FROM authenticators WHERE person_id = UNHEX(?) AND method = 'totp' AND state = 'active'",
      [hex(id)],
    ),
    await sql('SELECT done_at IS NULL AS waits, withdrawn_at IS NULL AS held FROM invitations WHERE id = UNHEX(?)', [
      hex(invitation),
    ]),
  ];
  /** Somebody with two apps, and a right that they proved by one of them. */
  const twoApps = async (n: string) => {
    const { id, phone, authenticator } = await personWithApp(owner(), n);
    const begun = await owner().call('totp.begin', { params: { id }, body: {} });
    const spare = new Phone(begun.keyUri);
    const second = begun.authenticator.id;
    await owner().call('totp.prove', { params: { id: second }, body: { codes: [spare.next()] } });
    return { id, first: authenticator, second, right: await rightBy(n, phone) };
  };
  const rightBy = async (loginName: string, phone: Phone): Promise<string> => {
    const at = createClient({ server: of().installation.url });
    const { signIn, handle } = await at.call('own.begin', { body: { place: 'enrolment', loginName } });
    const prove = async (kind: 'password' | 'code', value: string) =>
      await at.call('own.prove', { params: { id: signIn.id }, body: { kind, value, handle } });
    await prove('password', PASSWORD);
    return (await prove('code', phone.next())).right!;
  };

  return {
    'an invitation is used in two browsers': pair({
      make: invited,
      one: async (at, { first }) => await proveBy(at, first),
      other: async (at, { second }) => await proveBy(at, second),
      left: invitedTo,
    }),
    'an invitation is used and withdrawn': pair({
      make: invited,
      one: async (at, { first }) => await proveBy(at, first),
      other: async (at, { invitation }) => await at.owner.call('invitations.withdraw', { params: { id: invitation } }),
      left: invitedTo,
    }),
    'somebody takes the last two of their factors off': pair({
      make: twoApps,
      one: async ({ url }, { first, right }) =>
        await createClient({ server: url }).call('own.remove', { params: { id: first }, body: { right } }),
      other: async ({ url }, { second, right }) =>
        await createClient({ server: url }).call('own.remove', { params: { id: second }, body: { right } }),
      left: async ({ id }) =>
        await sql("SELECT COUNT(*) AS n FROM authenticators WHERE person_id = UNHEX(?) AND state = 'active'", [
          hex(id),
        ]),
    }),
    'a code of a pass for somebody else is shown while the pass is withdrawn': pair({
      make: async (n) => {
        const id = await person(n);
        const holder = await personWithApp(owner(), `${n}.tech`);
        const { pass } = await owner().call('passes.delegate', {
          params: { id },
          body: { holder: `${n}.tech`, reason: 'pair', uses: 2 },
        });
        return { pass: pass.id, right: await rightBy(`${n}.tech`, holder.phone) };
      },
      one: async ({ url }, { pass, right }) =>
        await createClient({ server: url }).call('own.drawPass', { params: { id: pass }, body: { right } }),
      other: async (at, { pass }) => await at.owner.call('passes.withdraw', { params: { id: pass } }),
      left: async ({ pass }) =>
        await sql(
          'SELECT v.uses, v.ended_why, a.state FROM passes v JOIN authenticators a ON a.id = v.authenticator_id WHERE a.id = UNHEX(?)',
          [hex(pass)],
        ),
    }),
  };
}
