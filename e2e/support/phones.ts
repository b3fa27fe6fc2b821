import { createClient, type Client } from '@nimble-latch/api/client';
import { PocketPhone } from '../../packages/standins/src/pocket/phone.js';
import { PASSWORD, type Installation } from './installation.js';
import { CONSOLE, publish, rulebookOf } from './rulebooks.js';

/** Lets everybody enrol phones that approve, and use them. Nodes follow within three seconds. */
async function offerPush(owner: Client): Promise<void> {
  const { rows, version } = await owner.call('methods.show');
  const push = { enrol: true, purposes: ['sign-in' as const, 'enrol' as const] };
  await owner.call('methods.edit', {
    body: { rows: [{ group: null, cells: { ...rows.at(-1)!.cells, push } }], lockedOut: 0 },
    ifMatch: version,
  });
}

/** Puts rules in force that ask for approvals, beside those by which phones are set up, and waits until every node goes by them. */
export async function askByPush(owner: Client, rules: readonly string[] = [BERTHS_BY_PUSH]): Promise<void> {
  await offerPush(owner);
  const settingUp = '{ rule: Setting up, at: { applications: [Enrolment] }, then: let in }';
  await publish(owner, rulebookOf([CONSOLE, settingUp, ...rules]));
  await followed();
}

/** What the Berth Planner asks for, in most of what is tested of phones. */
const BERTHS_BY_PUSH = '{ rule: Berths, at: { applications: [Berth Planner] }, then: { ask for: [password + push] } }';

/** Nodes follow a change of rules or settings within three seconds. */
export const followed = async (): Promise<void> => await new Promise((resolve) => setTimeout(resolve, 3_200));

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

/** The link by which somebody's phone is set up, of a person who is made for it; and what lets it be used. */
export async function linkFor(inst: Installation, loginName: string, displayName = loginName) {
  const { id } = await inst.owner.call('people.add', { body: { displayName, loginNames: [loginName] } });
  await inst.owner.call('people.setPassword', { params: { id }, body: { password: PASSWORD } });
  const right = await rightOf(inst.url, loginName);
  const anybody = createClient({ server: inst.url });
  const { link, authenticator } = await anybody.call('own.beginPush', { body: { right } });
  const prove = async () => await anybody.call('own.provePush', { params: { id: authenticator.id }, body: { right } });
  return { id, right, link, authenticator, prove };
}

export interface Holder {
  readonly id: string;
  readonly loginName: string;
  readonly right: string;
  readonly phone: PocketPhone;
  readonly authenticator: string;
}

/** Somebody with a password and a phone that approves, enrolled by themselves. It talks to the last node. */
export async function holderOf(inst: Installation, loginName: string): Promise<Holder> {
  const { id, right, link, authenticator, prove } = await linkFor(inst, loginName);
  const { phone, asked } = await PocketPhone.follow(link, inst.nodes.at(-1)!.url);
  await phone.answer(asked.requests[0]!, 'approve');
  await prove();
  return { id, loginName, right, phone, authenticator: authenticator.id };
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
