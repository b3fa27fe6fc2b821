import { useEffect, useState } from 'react';
import { answer, type Account, type Asked, type Decision, type Member, type Request } from './protocol.js';
import { canUnlock, NotUnlocked, setUpUnlock, unlock } from './unlock.js';
import { say, words as w } from './words.js';

const SAID: Readonly<Record<Decision, string>> = { approve: w.taken, deny: w.denied, 'not-me': w.reported };

/** Where somebody signs in, as far as anybody knows. */
const placeOf = ({ network, city, country }: Request): string | undefined =>
  network ?? ([city, country].filter(Boolean).join(', ') || undefined);

/** What the phone itself has to see before an approval counts. */
type Verifying = (said: Readonly<Record<string, Member>>) => Promise<Member>;

/** One question, in full: what, from where, by what, for how long; and the number, so that an answer is never a reflex. */
export function Question({
  account,
  asked: { now, state, unlock: unlocking },
  request,
  onAnswered,
  onCodes,
  onTrouble,
}: {
  account: Account;
  asked: Asked;
  request: Request;
  onAnswered: (sentence: string) => void;
  /** The codes that were made with the phone were held against the service’s. */
  onCodes: (right: boolean) => Promise<unknown>;
  onTrouble: (error: unknown) => void;
}) {
  const [number, setNumber] = useState('');
  const [busy, setBusy] = useState(false);
  const [said, setSaid] = useState<string>();
  const [able, setAble] = useState<boolean>();
  const [left, setLeft] = useState(() => Math.round((Date.parse(request.until) - Date.parse(now)) / 1_000));
  useEffect(() => {
    const ticking = setInterval(() => setLeft((seconds) => seconds - 1), 1_000);
    return () => clearInterval(ticking);
  }, []);
  const credential = unlocking?.credential ?? null;
  const setsUp = unlocking !== null && credential === null;
  useEffect(() => {
    let over = false;
    if (setsUp) void canUnlock().then((can) => over || setAble(can));
    return () => {
      over = true;
    };
  }, [setsUp]);
  const isTest = request.kind === 'test';
  const decide = (decision: Decision, verifying?: Verifying) => {
    setBusy(true);
    setSaid(undefined);
    const typed = decision === 'approve' && request.asksNumber ? number : undefined;
    answer(account, request, decision, typed, verifying)
      .then(async ({ outcome, codes }) => {
        if (outcome === 'taken' && account.codesNeeded !== undefined) await onCodes(codes === true);
        if (outcome === 'taken')
          onAnswered(isTest ? (state === 'pending' ? w.tested : w.answeredTest) : SAID[decision]);
        else if (outcome === 'over') onAnswered(w.over);
        else {
          setSaid(w.notTaken[outcome]);
          setNumber('');
        }
      })
      .catch((error: unknown) => (error instanceof NotUnlocked ? setSaid(w.notTaken.locked) : onTrouble(error)))
      .finally(() => setBusy(false));
  };
  const verifying: Verifying | undefined =
    unlocking === null
      ? undefined
      : credential !== null
        ? async (answering) => await unlock({ ...unlocking, credential }, answering)
        : able
          ? async (answering) => await setUpUnlock(unlocking, account.person, answering)
          : undefined;
  const barred = setsUp && able === false && unlocking.required;
  const place = placeOf(request);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        decide('approve', verifying);
      }}
    >
      <h2>{isTest ? (state === 'pending' ? w.testTitle : w.triedTitle) : w.signIn}</h2>
      {isTest && <p>{state === 'pending' ? w.test : w.tried}</p>}
      {!isTest && (
        <p>
          {say(w.at, { application: request.application ?? '' })}
          {place && <>, {say(w.from, { place })}</>}
          {request.browser && <>, {say(w.by, { browser: request.browser })}</>}
        </p>
      )}
      {setsUp && able === true && <p>{w.lockOffered}</p>}
      {barred && <p role="alert">{w.lockMissing}</p>}
      {left > 0 && <p className="soft">{say(w.left, { seconds: left })}</p>}
      {request.asksNumber && (
        <label>
          {w.number}
          <input
            value={number}
            inputMode="numeric"
            autoComplete="off"
            maxLength={2}
            autoFocus
            onInput={(event) => setNumber(event.currentTarget.value.replace(/\D/g, ''))}
          />
        </label>
      )}
      {said && <p role="alert">{said}</p>}
      <button
        type="submit"
        className="main"
        disabled={busy || barred || (setsUp && able === undefined) || (request.asksNumber && number.length !== 2)}
      >
        {setsUp && able ? w.approveLocked : w.approve}
      </button>
      {setsUp && able && !unlocking.required && (
        <button type="button" disabled={busy} onClick={() => decide('approve')}>
          {w.approveUnlocked}
        </button>
      )}
      {!isTest && (
        <>
          <button type="button" disabled={busy} onClick={() => decide('deny')}>
            {w.deny}
          </button>
          <p className="soft">{w.notMeHint}</p>
          <button type="button" className="danger" disabled={busy} onClick={() => decide('not-me')}>
            {w.notMe}
          </button>
        </>
      )}
    </form>
  );
}
