import type { Answer } from '@nimble-latch/api';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { Button } from '../frame/components/button.js';
import { Row } from '../frame/components/layout.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { call, troubleOf } from './api.js';
import { EnrolWithin } from './enrol-page.js';
import { Hall } from './hall.js';
import { moment, say, words as w } from './messages/index.js';

type Begun = Answer<'pages.begin'>;
type SignIn = NonNullable<Begun['signIn']>;
type Offer = Answer<'pages.enrol'>;

/** Whether somebody has proved what they have, and that is not what is asked for. */
export const isWithout = ({ state, graceUntil }: SignIn): boolean =>
  state === 'enrol-first' || (state === 'let-in' && graceUntil !== null);

/**
 * Somebody who has nothing that is asked for sets it up there and then, where they may, and goes on into the application; or puts it
 * off, as long as they may.
 */
export function Without({
  begun,
  signIn,
  request,
  onBack,
  onGoOn,
  children,
}: {
  begun: Begun;
  signIn: SignIn;
  request: string;
  /** The application's sign-in goes on with what was set up. */
  onBack: (begun: Begun) => void;
  onGoOn: (redirect: string) => void;
  /** The ways out beside it. */
  children: ReactNode;
}) {
  const [offer, setOffer] = useState<Offer>();
  const [enrolling, setEnrolling] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const [busy, setBusy] = useState(false);
  const asked = useRef(false);
  const { id } = signIn;
  const handle = begun.handle!;
  const doing = (act: () => Promise<void>) => {
    setBusy(true);
    setTrouble(undefined);
    void act()
      .catch((error: unknown) => setTrouble(troubleOf(error)))
      .finally(() => setBusy(false));
  };
  useEffect(() => {
    // Once: what it gives is good for one enrolment.
    if (asked.current) return;
    asked.current = true;
    doing(async () => setOffer(await call('pages.enrol', { params: { id }, body: { request, handle } })));
  });
  const { application, organisation } = begun;
  if (enrolling && offer?.right)
    return (
      <EnrolWithin
        right={offer.right}
        leave={{
          text: say(w.goOn, { application }),
          go: async () =>
            onBack(await call('pages.begin', { body: { request, after: { id, handle, right: offer.right! } } })),
        }}
      />
    );
  if (!offer)
    return (
      <Hall organisation={organisation} title={trouble === undefined ? w.wait : w.enrolTitle}>
        <Trouble text={trouble} />
        {trouble !== undefined && <Row>{children}</Row>}
      </Hall>
    );
  const { right, grace } = offer;
  return (
    <Hall organisation={organisation} title={!grace ? w.enrolTitle : grace.mayPutOff ? w.graceTitle : w.lastDayTitle}>
      <Trouble text={trouble} />
      <p role={grace ? 'status' : 'alert'}>
        {say(right ? w.enrolNow : w.enrolElsewhere, { application })}
        {grace?.mayPutOff && ` ${say(w.graceUntil, { until: moment(grace.until) })}`}
      </p>
      {grace && grace.putOff > 0 && <p>{say(w.putOffSoFar, { times: grace.putOff })}</p>}
      {grace && !grace.mayPutOff && <p>{w.lastDay}</p>}
      <Row>
        {right !== null && (
          <Button look="main" autoFocus onPress={() => setEnrolling(true)}>
            {w.enrolAct}
          </Button>
        )}
        {grace?.mayPutOff && (
          <Button
            look={right === null ? 'main' : 'plain'}
            autoFocus={right === null}
            isDisabled={busy}
            onPress={() =>
              doing(async () =>
                onGoOn((await call('pages.putOff', { params: { id }, body: { request, handle } })).redirect),
              )
            }
          >
            {say(right === null ? w.goOn : w.putOff, { application })}
          </Button>
        )}
        {right === null && !grace && <a href="/enrol">{w.enrolHere}</a>}
        {children}
      </Row>
    </Hall>
  );
}
