import type { Answer } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { useEffect, useRef, useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Row } from '../frame/components/layout.js';
import { Qr } from '../frame/components/qr.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { moment, say, words } from './messages/index.js';
import { useOwn } from './own-right.js';

const w = words.enrolling;
export type BegunPhone = Answer<'own.beginPush'>;

/** How often it is looked whether the phone has answered its first request. */
const LOOK_MS = 1_500;

/** A phone follows the link, and answers its first request; here it is waited for that. */
export function ProvePhone({
  begun,
  organisation,
  onProved,
  onBack,
}: {
  begun: BegunPhone;
  organisation: string;
  onProved: () => void;
  onBack: () => void;
}) {
  const { run } = useOwn();
  const [trouble, setTrouble] = useState<string>();
  const over = useRef(false);
  useEffect(() => {
    over.current = false;
    let timer: ReturnType<typeof setTimeout>;
    const look = async () => {
      const params = { id: begun.authenticator.id };
      try {
        await run(async (right) => await call('own.provePush', { params, body: { right } }));
        over.current = true;
        onProved();
      } catch (error) {
        // Not yet: that is what is waited for.
        setTrouble(error instanceof ApiError && error.code === 'phone-waits' ? undefined : troubleOf(error));
      }
    };
    const again = () => {
      timer = setTimeout(() => void look().finally(() => !over.current && again()), LOOK_MS);
    };
    again();
    return () => {
      over.current = true;
      clearTimeout(timer);
    };
  }, []);
  return (
    <Hall organisation={organisation} title={w.phoneTitle}>
      <p>{w.phoneScan}</p>
      <Qr src={`data:image/svg+xml;base64,${btoa(begun.qrSvg)}`} alt={w.phoneQr} />
      <a href={begun.link} target="_blank" rel="noreferrer">
        {w.phoneHere}
      </a>
      <p role="status">{say(w.phoneWaits, { until: moment(begun.until) })}</p>
      <Trouble text={trouble} />
      <Row>
        <Button onPress={onBack}>{w.back}</Button>
      </Row>
    </Hall>
  );
}
