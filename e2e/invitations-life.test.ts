import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation, PASSWORD, type Phone } from './support/installation.js';
import { codeIn, inviting, LINK, mailOf } from './support/inviting.js';
import { KeyHolders, registration } from './support/key-holder.js';
import { startPost, type Post } from './support/mailbox.js';
import { CONSOLE, publish, rulebookOf } from './support/rulebooks.js';
import { register } from './support/security-key.js';

const ORIGIN = 'https://latch.wexmoor.example';
let inst: Installation;
let post: Post;
let at: ReturnType<typeof inviting>;
beforeAll(async () => {
  post = await startPost();
  inst = await Installation.start(2, { ...post.environment, NLATCH_PUBLIC_URL: ORIGIN });
  at = inviting(inst, post);
  await publish(inst.owner, rulebookOf([CONSOLE]));
});
afterAll(async () => {
  await inst.stop();
  await post.stop();
});

const hex = (id: string) => id.replaceAll('-', '');

type State = 'sent' | 'opened' | 'begun' | 'done' | 'overdue' | 'withdrawn';

/** What an invitation is, told in ten lines: whatever is done to the real one has to come to the same. */
class Model {
  state: State = 'sent';
  reminders = 0;
  sentAnew = 0;
  /** Codes that lead to it. */
  codes: string[] = [];
  readonly dead: string[] = [];
  get open(): boolean {
    return this.state === 'sent' || this.state === 'opened' || this.state === 'begun';
  }
  end(state: 'done' | 'withdrawn'): void {
    this.state = state;
    this.dead.push(...this.codes.splice(0));
  }
}

const DOINGS = ['open', 'begin', 'enrol', 'remind', 'anew', 'withdraw', 'run out', 'invite'] as const;
type Doing = (typeof DOINGS)[number];

describe('the life of an invitation', () => {
  it('is what a small model says, whatever is done to it, in whatever order, at whichever node', async () => {
    let lives = 0;
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.constantFrom(...DOINGS), fc.nat(1)), { minLength: 3, maxLength: 9 }),
        async (doings) => {
          const name = `life.${lives++}`;
          const person = await at.add(name);
          const model = new Model();
          let letters = 0;
          /** The code of the letter that came last, once it has. */
          const newCode = async (): Promise<string> => {
            letters += 1;
            const all = () => post.letters.list(mailOf(name)).filter(({ text }) => LINK.test(text));
            await expect.poll(() => all().length, { interval: 30 }).toBe(letters);
            return codeIn(all()[0]!.text);
          };
          await at.invite({ ids: [person] });
          model.codes.push(await newCode());
          const { id } = await at.latest(person);
          const refusing = async (what: Promise<unknown>) =>
            await expect(what).rejects.toMatchObject({ code: 'wrong-state' });
          for (const [doing, node] of doings) await done(doing, node);

          async function done(doing: Doing, node: number): Promise<void> {
            const code = model.codes.at(-1);
            const client = inst.client(inst.nodes[node]!.url);
            switch (doing) {
              case 'open':
                if (!model.open) break;
                await at.bring(code!, node);
                if (model.state === 'sent') model.state = 'opened';
                break;
              case 'begin':
                if (!model.open) break;
                expect(await at.rightBy(code!, node)).not.toBeNull();
                model.state = 'begun';
                break;
              case 'enrol': {
                if (!model.open) break;
                const right = await at.rightBy(code!, node);
                await at.proveApp(right, await at.beginApp(right, node), 1 - node);
                model.end('done');
                break;
              }
              case 'remind':
                if (!model.open) return await refusing(client.call('invitations.remind', { params: { id } }));
                await client.call('invitations.remind', { params: { id } });
                model.codes.push(await newCode());
                model.reminders += 1;
                break;
              case 'anew':
                if (model.state === 'done' || model.state === 'withdrawn')
                  return await refusing(client.call('invitations.sendAnew', { params: { id } }));
                await client.call('invitations.sendAnew', { params: { id } });
                model.dead.push(...model.codes.splice(0));
                model.codes.push(await newCode());
                model.state = 'sent';
                model.reminders = 0;
                model.sentAnew += 1;
                break;
              case 'withdraw':
                if (model.state === 'done' || model.state === 'withdrawn')
                  return await refusing(client.call('invitations.withdraw', { params: { id } }));
                await client.call('invitations.withdraw', { params: { id } });
                model.end('withdrawn');
                break;
              case 'run out':
                if (!model.open) break;
                await inst.sql('UPDATE invitations SET valid_until = UTC_TIMESTAMP(3) WHERE id = UNHEX(?)', [hex(id)]);
                model.state = 'overdue';
                break;
              case 'invite': {
                // Nobody gets two; whoever holds it is passed over.
                const { outcomes } = await inst.owner.call('invitationRounds.preview', {
                  body: { who: { ids: [person] }, methods: ['totp'] },
                });
                const wanted = model.state === 'done' ? 'already-held' : model.open ? 'already-invited' : 'invited';
                expect(outcomes).toEqual({ [wanted]: 1 });
                return;
              }
            }
            await expect
              .poll(
                async () => {
                  const shown = await inst.nodes[1 - node]!.owner.call('invitations.list', { query: { person } });
                  return shown.rows.map(({ state, reminders, sentAnew }) => ({ state, reminders, sentAnew }));
                },
                { interval: 30 },
              )
              .toEqual([{ state: model.state, reminders: model.reminders, sentAnew: model.sentAnew }]);
            // Of every code that was ever sent: it leads there, or to nothing.
            for (const dead of model.dead)
              await expect(at.bring(dead, 1 - node)).rejects.toMatchObject({ code: 'invitation-gone' });
            // Guesses are paid for, and these were not guesses.
            await inst.sql('DELETE FROM source_failures');
          }
        },
      ),
      { numRuns: 8, seed: 7_041, endOnFailure: true },
    );
    const figures = await inst.owner.call('invitations.figures');
    expect(Object.values(figures.states).reduce((sum, n) => sum + n, 0)).toBe(lives);
  });
});

describe('an invitation to enrol a key', () => {
  it('enrols one and no app; a key that is not brought to its end uses nothing up', async () => {
    const people = new KeyHolders(inst, ORIGIN, new URL(ORIGIN).hostname);
    const id = await at.add('key.holder');
    await at.invite({ ids: [id] }, { methods: ['webauthn'] });
    const right = await at.rightBy(await at.codeFor('key.holder'));
    await expect(at.beginApp(right)).rejects.toMatchObject({ code: 'method-not-offered' });
    const begin = async () =>
      await at.anybody().call('own.beginWebauthn', { body: { right, carrier: 'Gullwing Key' } });
    const bring = async (begun: Awaited<ReturnType<typeof begin>>, origin: string) => {
      const made = await register({ ...people.asked(begun.publicKey), origin });
      return await at.anybody(1).call('own.proveWebauthn', {
        params: { id: begun.authenticator.id },
        body: { right, credential: registration(made.answer) },
      });
    };
    await expect(bring(await begin(), 'https://evil.example')).rejects.toMatchObject({ code: 'key-not-taken' });
    expect((await at.latest(id)).state).toBe('begun');
    expect(await bring(await begin(), ORIGIN)).toEqual({ label: 'Gullwing Key' });
    expect((await at.latest(id)).state).toBe('done');
    const { authenticators } = await inst.owner.call('keyring.show', { params: { id } });
    expect(authenticators.filter(({ state }) => state === 'active').map(({ method }) => method)).toEqual([
      'password',
      'webauthn',
    ]);
  });

  it('is done too by whoever enrols by another right, and left alone by what it does not name', async () => {
    const id = await at.add('other.right');
    await at.invite({ ids: [id] });
    const { code } = await inst.owner.call('passes.give', {
      params: { id },
      body: { reason: 'at the desk', purpose: 'enrol' },
    });
    const begun = await at.anybody().call('own.begin', { body: { place: 'enrolment', loginName: 'other.right' } });
    await at.prove(begun);
    const { right } = await at.prove(begun, code, 'code');
    await at
      .anybody()
      .call('own.makeRecovery', { body: { right: right! } })
      .catch(() => undefined);
    expect((await at.latest(id)).state).not.toBe('done');
    await at.proveApp(right!, await at.beginApp(right!));
    expect((await at.latest(id)).state).toBe('done');
    await expect(at.bring(await at.codeFor('other.right'))).rejects.toMatchObject({ code: 'invitation-gone' });
  });

  it('comes with one thing that says who it is: a code beside a name or a key, or at another place, is refused', async () => {
    const id = await at.add('said.twice');
    await at.invite({ ids: [id] });
    const invitation = await at.codeFor('said.twice');
    for (const body of [
      { place: 'enrolment' as const, invitation, loginName: 'said.twice' },
      { place: 'password-reset' as const, invitation },
    ])
      await expect(at.anybody().call('own.begin', { body })).rejects.toMatchObject({ code: 'invalid-input' });
    expect((await at.latest(id)).openedAt).toBeNull();
    // A right of a sign-in that was the person's own is as good as before; a wrong password gives none.
    const wrong = await at.prove(await at.bring(invitation), 'not the password');
    expect(wrong).toMatchObject({ right: null, signIn: { reason: 'wrong-proof' } });
    const phone: Phone = await (async () => {
      const right = await at.rightBy(invitation);
      const app = await at.beginApp(right);
      await at.proveApp(right, app);
      return app.phone;
    })();
    const later = await at.anybody().call('own.begin', { body: { place: 'enrolment', loginName: 'said.twice' } });
    await at.prove(later, PASSWORD);
    expect((await at.prove(later, phone.next(), 'code')).right).not.toBeNull();
  });
});
