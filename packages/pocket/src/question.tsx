import { useEffect, useState } from 'react';
import { answer, type Account, type Decision, type Request } from './protocol.js';
import { say, words as w } from './words.js';

const SAID: Readonly<Record<Decision, string>> = { approve: w.taken, deny: w.denied, 'not-me': w.reported };

/** Where somebody signs in, as far as anybody knows. */
const placeOf = ({ network, city, country }: Request): string | undefined =>
  network ?? ([city, country].filter(Boolean).join(', ') || undefined);

/** One question, in full: what, from where, by what, for how long; and the number, so that an answer is never a reflex. */
export function Question({
  account,
  request,
  now,
  onAnswered,
  onTrouble,
}: {
  account: Account;
  request: Request;
  /** The service's time when it was told. */
  now: string;
  onAnswered: (sentence: string) => void;
  onTrouble: (error: unknown) => void;
}) {
  const [number, setNumber] = useState('');
  const [busy, setBusy] = useState(false);
  const [wrong, setWrong] = useState(false);
  const [left, setLeft] = useState(() => Math.round((Date.parse(request.until) - Date.parse(now)) / 1_000));
  useEffect(() => {
    const ticking = setInterval(() => setLeft((seconds) => seconds - 1), 1_000);
    return () => clearInterval(ticking);
  }, []);
  const isTest = request.kind === 'test';
  const decide = (decision: Decision) => {
    setBusy(true);
    setWrong(false);
    answer(account, request, decision, decision === 'approve' && request.asksNumber ? number : undefined)
      .then((outcome) => {
        if (outcome === 'taken') onAnswered(isTest ? w.tested : SAID[decision]);
        else if (outcome === 'over') onAnswered(w.over);
        else {
          setWrong(true);
          setNumber('');
        }
      })
      .catch(onTrouble)
      .finally(() => setBusy(false));
  };
  const place = placeOf(request);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        decide('approve');
      }}
    >
      <h2>{isTest ? w.testTitle : w.signIn}</h2>
      {isTest && <p>{w.test}</p>}
      {!isTest && (
        <p>
          {say(w.at, { application: request.application ?? '' })}
          {place && <>, {say(w.from, { place })}</>}
          {request.browser && <>, {say(w.by, { browser: request.browser })}</>}
        </p>
      )}
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
      {wrong && <p role="alert">{w.wrong}</p>}
      <button type="submit" className="main" disabled={busy || (request.asksNumber && number.length !== 2)}>
        {w.approve}
      </button>
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
