import type { Answer, Sent } from '@nimble-latch/api';
import { createClient } from '@nimble-latch/api/client';
import { expect } from 'vitest';
import { PASSWORD, Phone, type Installation } from './installation.js';
import type { Post } from './mailbox.js';

type Wanted = Partial<Sent<'invitationRounds.begin', 'body'>>;

/** What stands in the letters of invitations, and in no other. */
export const LINK = /#([A-Z-]{29})/;
export const codeIn = (text: string): string => LINK.exec(text)![1]!;
export const mailOf = (loginName: string): string => `${loginName}@wexmoor.example`;

/** What tests of invitations do over and over, at one installation and its mailbox. */
export function inviting(inst: Installation, post: Post) {
  const anybody = (node = 0) => createClient({ server: inst.nodes[node]!.url });
  const add = async (loginName: string, more: Partial<Sent<'people.add', 'body'>> = {}) => {
    const { id } = await inst.owner.call('people.add', {
      body: { displayName: loginName, loginNames: [loginName], mail: mailOf(loginName), ...more },
    });
    await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
    return id;
  };
  const finished = async (id: string) => {
    const show = async () => await inst.owner.call('invitationRounds.show', { params: { id } });
    await expect.poll(async () => (await show()).state, { interval: 50 }).toBe('done');
    return await show();
  };
  const bring = async (invitation: string, node = 0) =>
    await anybody(node).call('own.begin', { body: { place: 'enrolment', invitation } });
  const prove = async (
    { signIn, handle }: Answer<'own.begin'>,
    value = PASSWORD,
    kind: 'password' | 'code' = 'password',
    node = 0,
  ) => await anybody(node).call('own.prove', { params: { id: signIn.id }, body: { kind, value, handle } });
  const beginApp = async (right: string, node = 0) => {
    const begun = await anybody(node).call('own.beginTotp', { body: { right } });
    return { id: begun.authenticator.id, phone: new Phone(begun.keyUri) };
  };
  return {
    anybody,
    add,
    finished,
    bring,
    prove,
    beginApp,
    /** Invites, and waits until everybody was asked. */
    invite: async (who: Wanted['who'], wanted: Wanted = {}, by = inst.owner) => {
      const { people } = await by.call('invitationRounds.preview', {
        body: { who: who!, methods: wanted.methods ?? ['totp'], via: wanted.via ?? 'mail' },
      });
      const { id } = await by.call('invitationRounds.begin', {
        body: { who: who!, methods: ['totp'], expect: people, ...wanted },
      });
      return await finished(id);
    },
    latest: async (person: string) =>
      (await inst.owner.call('invitations.list', { query: { person, limit: 1 } })).rows[0]!,
    codeFor: async (loginName: string, having = LINK) => codeIn(await post.letter(mailOf(loginName), having)),
    rightBy: async (code: string, node = 0) =>
      (await prove(await bring(code, node), PASSWORD, 'password', node)).right!,
    proveApp: async (right: string, { id, phone }: Awaited<ReturnType<typeof beginApp>>, node = 0) =>
      await anybody(node).call('own.proveTotp', { params: { id }, body: { right, codes: [phone.next()] } }),
    /** Work in the background that recurs, done now. */
    jobNow: async (kind: string) =>
      await inst.sql("UPDATE jobs SET run_at = UTC_TIMESTAMP(3) WHERE kind = ? AND state = 'waiting'", [kind]),
  };
}
