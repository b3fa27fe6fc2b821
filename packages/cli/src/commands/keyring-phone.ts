import { setTimeout as delay } from 'node:timers/promises';
import { say } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { blockPicture } from '../render/qr.js';
import { keyringWords as w } from '../words/keyring.js';
import { done, findPerson, onceKey } from './support.js';
import { verb } from './verbs.js';

const LOOK_MS = 1_500;

/** A phone that approves, enrolled at a desk: the link is shown, and the phone waited for. */
export function enrolPhone(at: Parameters<typeof verb>[0]): void {
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
  verb(at, { line: 'prove-phone <authenticator>', help: w.help['prove-phone'] }, async (session, [id = '']) => {
    const proved = await session.client.call('push.prove', { params: { id } });
    done(session, proved, say(w.done.proved, { label: proved.label }));
  });
}
