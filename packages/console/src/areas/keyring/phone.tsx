import type { Answer } from '@nimble-latch/api';
import { useEffect, useState } from 'react';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { Banner, Small, State } from '../../frame/components/layout.js';
import { Time } from '../../frame/components/time.js';
import { decimal, say } from '../../frame/messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { keyringWords } from './messages/index.js';

const w = keyringWords.keyring;
type Phone = NonNullable<Answer<'keyring.show'>['authenticators'][number]['phone']>;
type Test = Answer<'push.tested'>;

/** What it came to, on a line of its own below the buttons. */
const Below = styled.div`
  order: 1;
  flex-basis: 100%;
`;

/** How often it is looked whether a phone has answered a test. */
const LOOK_MS = 1_000;

/** What is to be seen of a phone at a glance. */
export function PhoneStates({ phone }: { phone: Phone }) {
  return (
    <>
      {phone.silent && <State tone="held">{w.phoneSilent}</State>}
      {phone.outdated && <State tone="held">{w.phoneOutdated}</State>}
      {phone.rings !== 'none' && <State tone={phone.rings === 'ready' ? 'good' : 'held'}>{w.rings[phone.rings]}</State>}
      {phone.unlocks && <State tone="good">{w.phoneUnlocks}</State>}
    </>
  );
}

/** When it was heard of last. */
export function PhoneSeen({ phone }: { phone: Phone }) {
  return (
    <>
      {phone.seenAt && (
        <>
          {' · '}
          {w.phoneSeen}: <Time at={phone.seenAt} />
        </>
      )}
      {phone.answeredAt && (
        <>
          {' · '}
          {w.phoneAnswered}: <Time at={phone.answeredAt} />
        </>
      )}
      {phone.outdated && ` · ${w.phoneOutdatedHint}`}
    </>
  );
}

const secondsAfter = (from: string, to: string): string => decimal((Date.parse(to) - Date.parse(from)) / 1_000, 1);

function sayTest({ state, askedAt, shownAt, answeredAt }: Test): string {
  if (answeredAt)
    return say(w.testAnswered, {
      shown: secondsAfter(askedAt, shownAt ?? answeredAt),
      seconds: secondsAfter(askedAt, answeredAt),
    });
  if (state === 'over') return shownAt ? w.testShownOnly : w.testNothing;
  return shownAt ? w.testShown : w.testWaits;
}

/** A question to one phone that lets nobody in; what becomes of it is told as it happens. */
export function TestPhone({ authenticator }: { authenticator: string }) {
  const params = { id: authenticator };
  const [test, setTest] = useState<Test>();
  const send = useAct<undefined, Test>(() => call('push.test', { params }), setTest);
  const waits = test?.state === 'waiting';
  useEffect(() => {
    if (!waits) return undefined;
    // A look that fails is made again: it only tells.
    const looking = setInterval(() => void call('push.tested', { params }).then(setTest, () => undefined), LOOK_MS);
    return () => clearInterval(looking);
  }, [waits]);
  return (
    <>
      <Button calls="push.test" isDisabled={waits} onPress={() => send.mutate(undefined)}>
        {w.testPhone}
      </Button>
      {(send.trouble ?? test) && (
        <Below>
          {send.trouble && <Banner $tone="danger">{send.trouble.text}</Banner>}
          {test && <Small role="status">{sayTest(test)}</Small>}
        </Below>
      )}
    </>
  );
}
