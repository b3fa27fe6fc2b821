import type { Answer, Sent } from '@nimble-latch/api';
import { useEffect, useRef, useState } from 'react';
import { KeyTrouble, knowsKeys, offersBeneathField, useKey } from './keys.js';

type Offer = NonNullable<Answer<'passkeys.offer'>['offer']>;
export type ByKey = NonNullable<Sent<'console.begin', 'body'>['byKey']>;

/** A question is good for a quarter of an hour; it is asked for anew before. */
const ANEW_MS = 10 * 60_000;

/**
 * A passkey in place of a name: offered by the browser beneath the name field, where it can, and by a button.
 *
 * @param fetchOffer asks the service for a question; kept as it was at first
 * @param onKey what a key answered; the question is spent by it
 * @param enabled while it is asked who it is; a browser asks one thing at a time
 * @returns what the button does; undefined where no key can answer
 */
export function usePasskey(
  fetchOffer: () => Promise<Answer<'passkeys.offer'>>,
  onKey: (byKey: ByKey) => Promise<void>,
  enabled = true,
): (() => Promise<void>) | undefined {
  const [offer, setOffer] = useState<Offer>();
  const [round, setRound] = useState(0);
  const latest = useRef({ fetchOffer, onKey });
  latest.current.onKey = onKey;
  const beneath = useRef<AbortController>(undefined);
  const busy = useRef(false);

  useEffect(() => {
    if (!enabled || !knowsKeys()) return;
    let gone = false;
    latest.current.fetchOffer().then(
      ({ offer: fresh }) => !gone && setOffer(fresh ?? undefined),
      // Whoever cannot be offered a key types a name; what is wrong with the service shows then.
      () => undefined,
    );
    const again = setTimeout(() => setRound((before) => before + 1), ANEW_MS);
    return () => {
      gone = true;
      clearTimeout(again);
      setOffer(undefined);
    };
  }, [round, enabled]);

  useEffect(() => {
    if (!offer) return;
    const calling = new AbortController();
    beneath.current = calling;
    void (async () => {
      if (!(await offersBeneathField()) || calling.signal.aborted) return;
      try {
        const { publicKey, ceremony } = offer;
        const credential = await useKey(publicKey, { mediation: 'conditional', signal: calling.signal });
        // eslint-disable-next-line @typescript-eslint/no-unnecessary-condition -- aborted while it was waited for
        if (calling.signal.aborted || busy.current) return;
        await answered({ ceremony, credential });
      } catch (error) {
        // Nobody chose one there, or it was called off: no more than a name that is not typed.
        if (!(error instanceof KeyTrouble)) throw error;
      }
    })();
    return () => calling.abort();
  }, [offer]);

  async function answered(byKey: ByKey): Promise<void> {
    busy.current = true;
    try {
      await latest.current.onKey(byKey);
    } finally {
      busy.current = false;
      setRound((before) => before + 1);
    }
  }

  if (!offer) return undefined;
  return async () => {
    // A browser asks one thing at a time.
    beneath.current?.abort();
    try {
      await answered({ ceremony: offer.ceremony, credential: await useKey(offer.publicKey) });
    } catch (error) {
      setRound((before) => before + 1);
      throw error;
    }
  };
}
