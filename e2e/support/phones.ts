import { createClient, type Client } from '@nimble-latch/api/client';
import { PocketPhone } from '../../packages/standins/src/pocket/phone.js';
import { PASSWORD, type Installation } from './installation.js';

/** Lets everybody enrol phones that approve, and use them. Nodes follow within three seconds. */
export async function offerPush(owner: Client): Promise<void> {
  const { rows, version } = await owner.call('methods.show');
  const push = { enrol: true, purposes: ['sign-in' as const, 'enrol' as const] };
  await owner.call('methods.edit', {
    body: { rows: [{ group: null, cells: { ...rows.at(-1)!.cells, push } }], lockedOut: 0 },
    ifMatch: version,
  });
}

/** A right to look after one's own things, by the password. */
export async function rightOf(url: string, loginName: string): Promise<string> {
  const anybody = createClient({ server: url });
  const begun = await anybody.call('own.begin', { body: { place: 'enrolment', loginName } });
  const proved = await anybody.call('own.prove', {
    params: { id: begun.signIn.id },
    body: { kind: 'password', value: PASSWORD, handle: begun.handle },
  });
  return proved.right!;
}

export interface Holder {
  readonly id: string;
  readonly loginName: string;
  readonly right: string;
  readonly phone: PocketPhone;
  readonly authenticator: string;
}

/** Somebody with a password and a phone that approves, enrolled by themselves. */
export async function holderOf(inst: Installation, loginName: string): Promise<Holder> {
  const { id } = await inst.owner.call('people.add', { body: { displayName: loginName, loginNames: [loginName] } });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  const right = await rightOf(inst.url, loginName);
  return { id, loginName, right, ...(await enrolPhone(inst, right)) };
}

/** One more phone, by somebody's own right. It talks to the last node. */
export async function enrolPhone(
  inst: Installation,
  right: string,
): Promise<{ readonly phone: PocketPhone; readonly authenticator: string }> {
  const anybody = createClient({ server: inst.url });
  const begun = await anybody.call('own.beginPush', { body: { right } });
  const { phone, asked } = await PocketPhone.follow(begun.link, inst.nodes.at(-1)!.url);
  await phone.answer(asked.requests[0]!, 'approve');
  await anybody.call('own.provePush', { params: { id: begun.authenticator.id }, body: { right } });
  return { phone, authenticator: begun.authenticator.id };
}
