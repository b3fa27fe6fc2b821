import { useCallback, useEffect, useState } from 'react';
import { dropAccount, keepAccount, readAccounts } from './accounts.js';
import { Question } from './question.js';
import {
  enrol,
  Failed,
  fetchRequests,
  PAGE,
  type Account,
  type Answered,
  type Asked,
  type Trouble,
  type Waking,
} from './protocol.js';
import { codeAt, type Codes } from './codes.js';
import { quiet, readyAlone, standingOf, wake, wakeNoMore, type Standing } from './waking.js';
import { say, words as w } from './words.js';

/** How often it is asked what waits, while the page is open. */
const LOOK_MS = 2_000;

const troubleOf = (error: unknown): Trouble => (error instanceof Failed ? error.trouble : 'broken');

/** The code of a link that was opened here; it leaves the address as soon as it was read. */
function takenCode(): string | undefined {
  const code = location.hash.slice(1);
  if (code !== '') history.replaceState(null, '', location.pathname);
  return code === '' ? undefined : code;
}

/** Fetches the page of now, once for each that there is: where that brings the same one again, somebody else has to look. */
function renew(page: string | null): void {
  if (page === null || !PAGE || page === PAGE || sessionStorage.getItem('renewed') === page) return;
  sessionStorage.setItem('renewed', page);
  location.reload();
}

/** The whole page: a link to be followed, or the accounts of this phone and what waits for them. */
export function Pocket() {
  const [code, setCode] = useState(takenCode);
  const [accounts, setAccounts] = useState<readonly Account[]>();
  const read = useCallback(async () => {
    const kept = await readAccounts();
    setAccounts(kept);
    if (kept.length > 0) void readyAlone();
  }, []);
  useEffect(() => void read(), []);
  useEffect(() => {
    // A link that is opened while the page is there already.
    const came = () => setCode(takenCode());
    addEventListener('hashchange', came);
    return () => removeEventListener('hashchange', came);
  }, []);
  if (code !== undefined)
    return (
      <SetUp
        code={code}
        onDone={() => {
          setCode(undefined);
          void read();
        }}
      />
    );
  if (!accounts) return null;
  return (
    <>
      <h1>{w.title}</h1>
      {accounts.length === 0 && <p>{w.none}</p>}
      {accounts.map((account) => (
        <AccountView
          key={account.device}
          account={account}
          onGone={() => void dropAccount(account).then(read)}
          onCodes={async (right) => {
            const { codes, codesNeeded: _, ...rest } = account;
            await keepAccount(right && codes ? { ...rest, codes } : rest);
            await read();
          }}
        />
      ))}
    </>
  );
}

/** Nothing happens by opening a link: whoever holds the phone says so first. */
function SetUp({ code, onDone }: { code: string; onDone: () => void }) {
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<Trouble>();
  return (
    <>
      <h1>{w.setUpTitle}</h1>
      <p>{w.setUpHint}</p>
      {trouble && <p role="alert">{w.troubles[trouble]}</p>}
      <button
        type="button"
        className="main"
        disabled={busy}
        onClick={() => {
          setBusy(true);
          setTrouble(undefined);
          enrol(code)
            .then(async ({ account }) => {
              await keepAccount(account);
              onDone();
            })
            .catch((error: unknown) => {
              setTrouble(troubleOf(error));
              setBusy(false);
            });
        }}
      >
        {busy ? w.setting : w.setUp}
      </button>
    </>
  );
}

function AccountView({
  account,
  onGone,
  onCodes,
}: {
  account: Account;
  onGone: () => void;
  onCodes: (right: boolean) => Promise<unknown>;
}) {
  const [asked, setAsked] = useState<Asked>();
  const [trouble, setTrouble] = useState<Trouble>();
  const [said, setSaid] = useState<string>();
  useEffect(() => {
    let over = false;
    let timer: ReturnType<typeof setTimeout>;
    let gone = false;
    const look = async () => {
      // A page that nobody sees asks nothing.
      if (document.visibilityState === 'visible')
        try {
          const now = await fetchRequests(account);
          if (over) return;
          setAsked(now);
          setTrouble(undefined);
          if (now.requests.length === 0) {
            void quiet();
            renew(now.page);
          }
        } catch (error) {
          if (over) return;
          setTrouble(troubleOf(error));
          // What was taken off comes back only by a new link: it is not asked about over and over.
          gone = troubleOf(error) === 'unknown';
        }
      if (!over && !gone) timer = setTimeout(() => void look(), LOOK_MS);
    };
    void look();
    const seen = () => {
      clearTimeout(timer);
      void look();
    };
    document.addEventListener('visibilitychange', seen);
    return () => {
      over = true;
      clearTimeout(timer);
      document.removeEventListener('visibilitychange', seen);
    };
  }, []);
  const request = asked?.requests[0];
  return (
    <section aria-label={say(w.account, account)}>
      <p className="soft">{say(w.account, asked ?? account)}</p>
      {trouble && <p role="alert">{w.troubles[trouble]}</p>}
      {said && !request && <p role="status">{said}</p>}
      {request ? (
        <Question
          key={request.id}
          account={account}
          asked={asked}
          request={request}
          onAnswered={(sentence) => {
            setSaid(sentence);
            setAsked({ ...asked, requests: asked.requests.filter(({ id }) => id !== request.id) });
          }}
          onCodes={onCodes}
          onTrouble={(error) => setTrouble(troubleOf(error))}
        />
      ) : (
        asked && !said && <p>{asked.state === 'suspended' ? w.suspended : w.nothing}</p>
      )}
      {account.codes && account.codesNeeded === undefined && !request && (
        <Code codes={account.codes} shown={trouble === 'offline'} />
      )}
      {asked?.state === 'active' && !request && <Ringing account={account} waking={asked.waking} />}
      {asked && !request && <Lately answered={asked.answered} />}
      {trouble === 'unknown' && (
        <button type="button" onClick={onGone}>
          {w.remove}
        </button>
      )}
    </section>
  );
}

/** A code for when the phone has no network: shown at once then, and otherwise when somebody wants it. */
function Code({ codes, shown }: { codes: Codes; shown: boolean }) {
  const [wanted, setWanted] = useState(false);
  const [now, setNow] = useState<{ code: string; left: number }>();
  const visible = shown || wanted;
  useEffect(() => {
    if (!visible) return undefined;
    const look = () => void codeAt(codes, Date.now()).then(setNow);
    look();
    const ticking = setInterval(look, 1_000);
    return () => clearInterval(ticking);
  }, [visible]);
  if (!visible)
    return (
      <button type="button" onClick={() => setWanted(true)}>
        {w.showCode}
      </button>
    );
  return now ? (
    <p className="code">
      {w.code} <output>{now.code.replace(/^(.{3,4})(.{3,4})$/, '$1 $2')}</output>{' '}
      <span className="soft">{say(w.left, { seconds: now.left })}</span>
    </p>
  ) : null;
}

/** What was answered lately: whoever did not do it sees it here. */
function Lately({ answered }: { answered: readonly Answered[] }) {
  if (answered.length === 0) return null;
  return (
    <>
      <h3>{w.lately}</h3>
      <ul className="lately">
        {answered.map(({ application, said, at }) => (
          <li key={at}>
            {say(w.latelySaid[said], { application: application ?? w.gone })}{' '}
            <time dateTime={at}>
              {new Date(at).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}
            </time>
          </li>
        ))}
      </ul>
    </>
  );
}

/** Whether this phone rings while the page is closed, and the button for it. */
function Ringing({ account, waking }: { account: Account; waking: Waking }) {
  const [standing, setStanding] = useState<Standing>();
  const [trouble, setTrouble] = useState<Trouble>();
  useEffect(() => {
    let over = false;
    void standingOf(waking).then((now) => over || setStanding(now));
    return () => {
      over = true;
    };
  }, [waking.state]);
  if (!standing) return null;
  const become = (doing: Promise<Standing>) => {
    setTrouble(undefined);
    doing.then(setStanding).catch((error: unknown) => setTrouble(troubleOf(error)));
  };
  return (
    <div className="ringing">
      <p className="soft">{w.ringing[standing]}</p>
      {trouble && <p role="alert">{w.troubles[trouble]}</p>}
      {standing === 'on' && (
        <button type="button" onClick={() => become(wakeNoMore(account))}>
          {w.ringNoMore}
        </button>
      )}
      {standing !== 'on' && standing !== 'unsupported' && (
        <button type="button" onClick={() => become(wake(account, waking))}>
          {w.ring}
        </button>
      )}
    </div>
  );
}
