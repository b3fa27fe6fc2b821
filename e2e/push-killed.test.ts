import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connectedApplication, Installation } from './support/installation.js';
import { holderOf, askByPush, type Holder } from './support/phones.js';

/** Nodes that go while somebody waits for a phone. */
let inst: Installation;
let key: string;
let holders: Record<'waits' | 'answers', Holder>;
beforeAll(async () => {
  inst = await Installation.start(2, { NLATCH_PUBLIC_URL: 'https://latch.wexmoor.example' }, { processes: true });
  ({ key } = await connectedApplication(inst.owner, 'Berth Planner', { claims: ['password-checked'] }));
  await askByPush(inst.owner);
  holders = { waits: await holderOf(inst, 'waits'), answers: await holderOf(inst, 'answers') };
});
afterAll(async () => await inst.stop());

const at = (url: string) => inst.client(url, key);
const begin = async (url: string, loginName: string) =>
  await at(url).call('signIns.begin', {
    body: { loginName, carries: ['password', 'wait'], claims: { passwordChecked: true } },
  });
const wait = async (url: string, id: string, seconds: number) =>
  await at(url).call('signIns.prove', { params: { id }, body: { kind: 'wait', seconds } });

describe('a node that is killed', () => {
  it('where somebody waits, loses no answer: it is there at another node, whenever the phone gave it', async () => {
    const { loginName, phone } = holders.waits;
    const [first, second] = inst.nodes;
    const before = await begin(first!.url, loginName);
    const during = wait(first!.url, before.id, 25).then(
      () => 'answered',
      () => 'cut off',
    );
    const [request] = (await phone.fetch()).requests;
    await first!.stop('SIGKILL');
    expect(await during).toBe('cut off');
    // Answered at the other node, after the one where it was waited for has gone; and looked for there.
    expect(await phone.answer(request!, 'approve', before.prompt!.number!)).toBe('taken');
    expect(await wait(second!.url, before.id, 5)).toMatchObject({ state: 'let-in', way: 'password + push' });
    await expect(wait(second!.url, before.id, 0)).rejects.toMatchObject({ code: 'sign-in-ended' });
  });

  it('to which the phone had spoken, leaves what it took: whoever waits elsewhere goes on by it', async () => {
    const third = await inst.startNode();
    const { loginName, phone } = holders.answers;
    const survivor = inst.nodes[1]!;
    const signIn = await begin(survivor.url, loginName);
    const [request] = (await phone.fetch()).requests;
    const speaking = phone.at(third.url);
    expect(await speaking.answer(request!, 'approve', signIn.prompt!.number!)).toBe('taken');
    await third.stop('SIGKILL');
    expect((await wait(survivor.url, signIn.id, 5)).state).toBe('let-in');
    // What it had not taken can be said again, to another: once.
    const again = await begin(survivor.url, loginName);
    const [later] = (await phone.at(survivor.url).fetch()).requests;
    await expect(speaking.answer(later!, 'approve', again.prompt!.number!)).rejects.toThrow();
    const token = await phone.answerFor(later!, 'approve', again.prompt!.number!);
    const outcomes = await Promise.all([
      phone.at(survivor.url).send(token),
      phone.at(survivor.url).send(token),
      phone.at(survivor.url).answer(later!, 'deny'),
    ]);
    expect(outcomes.filter((one) => one === 'taken')).toHaveLength(1);
    expect(outcomes.filter((one) => one === 'over')).toHaveLength(2);
  });
});
