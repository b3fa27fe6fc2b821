import { setTimeout as delay } from 'node:timers/promises';
import { say } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { Failure } from '../failure.js';
import { blockPicture } from '../render/qr.js';
import { keyringWords as w } from '../words/keyring.js';
import { done, findPerson, onceKey } from './support.js';
import { verb } from './verbs.js';

const LOOK_MS = 1_500;

const seconds = (from: string, to: string): string => ((Date.parse(to) - Date.parse(from)) / 1_000).toFixed(1);

/** Asks a phone for nothing, and waits for what becomes of it. */
function testPhone(at: Parameters<typeof verb>[0]): void {
  verb(at, { line: 'test-phone <authenticator>', help: w.help['test-phone'] }, async (session, [id = '']) => {
    const params = { id };
    let test = await session.client.call('push.test', { params });
    if (!session.json) session.out(`${w.facts.testAsked}\n`);
    while (test.state === 'waiting') {
      await delay(LOOK_MS);
      test = await session.client.call('push.tested', { params });
    }
    const { askedAt, shownAt, answeredAt } = test;
    if (!answeredAt) throw new Failure(shownAt ? w.facts.testShownOnly : w.facts.testNothing);
    const facts = { shown: seconds(askedAt, shownAt ?? answeredAt), seconds: seconds(askedAt, answeredAt) };
    done(session, test, say(w.done.testAnswered, facts));
  });
}

/** A phone that approves, enrolled at a desk: the link is shown, and the phone waited for. */
export function phoneVerbs(at: Parameters<typeof verb>[0]): void {
  verb<{ carrier: string; later?: boolean }>(
    at,
    {
      line: 'enrol-phone <person>',
      help: w.help['enrol-phone'],
      options: (one) =>
        one.option('--carrier <label>', w.options.carrier, 'Phone').option('--later', w.options.phoneLater),
    },
    async (session, [named = ''], { carrier, later }) => {
      const person = await findPerson(session, named);
      const { authenticator, link, until } = await session.client.call('push.begin', {
        params: { id: person.id },
        body: { label: carrier, carrier: { kind: 'phone', label: carrier, serial: null } },
        idempotencyKey: onceKey(),
      });
      if (!session.json)
        session.out(
          `${say(w.facts.phoneScan, { until })}\n\n${await blockPicture(link, session.colour)}\n  ${link}\n\n`,
        );
      if (later) {
        done(session, { authenticator, link, until }, say(w.done.phoneLater, { id: authenticator.id }));
        return;
      }
      const end = Date.parse(until);
      for (;;) {
        try {
          const proved = await session.client.call('push.prove', { params: { id: authenticator.id } });
          done(session, proved, say(w.done.proved, { label: proved.label }));
          return;
        } catch (error) {
          if (!(error instanceof ApiError && error.code === 'phone-waits') || Date.now() > end) throw error;
        }
        await delay(LOOK_MS);
      }
    },
  );
  testPhone(at);
  verb(at, { line: 'prove-phone <authenticator>', help: w.help['prove-phone'] }, async (session, [id = '']) => {
    const proved = await session.client.call('push.prove', { params: { id } });
    done(session, proved, say(w.done.proved, { label: proved.label }));
  });
}
