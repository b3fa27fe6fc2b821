import type { Answer } from '@nimble-latch/api';
import { ApiError } from '@nimble-latch/api/client';
import { useEffect, useRef, useState } from 'react';
import { Button } from '../frame/components/button.js';
import { Code, Row, Small } from '../frame/components/layout.js';
import type { ByKey } from '../frame/components/passkey.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { say, shared, words as w } from './messages/index.js';
import { pageState, type Kept } from './page-state.js';
import { PagePrompt, WhoForm } from './prompt-form.js';
import { isWithout, Without } from './without.js';

type Begun = Answer<'pages.begin'>;
type Who = { loginName?: string; byKey?: ByKey };
type Step = Answer<'pages.prove'>;

const PROBLEMS = ['client', 'redirect-uri', 'request'] as const;

/** Signs somebody in for the application that sent them: one decision a screen. */
export function SignInPage() {
  const [fragment] = useState(() => window.location.hash.slice(1));
  const said = new URLSearchParams(fragment);
  const problem = PROBLEMS.find((one) => said.get('problem') === one);
  if (problem ?? fragment === '')
    return (
      <Hall title={w.problemTitle}>
        <p>{w.problems[problem ?? 'none']}</p>
        {problem && <Small>{w.problemHint}</Small>}
        <Facts
          rows={(['client', 'address'] as const).flatMap((name) => {
            const value = problem && said.get(name);
            return value ? [[w.problemFacts[name], value] as const] : [];
          })}
        />
      </Hall>
    );
  return <SignIn request={fragment} />;
}

/** What the browser was sent here with, as it was written. */
function Facts({ rows }: { rows: readonly (readonly [what: string, value: string])[] }) {
  return rows.map(([what, value]) => (
    <p key={what}>
      <Small>{what}</Small>
      <br />
      <Code>{value}</Code>
    </p>
  ));
}

function SignIn({ request }: { request: string }) {
  const [kept, setKept] = useState<Kept | undefined>(() => pageState.of(request));
  const [gone, setGone] = useState<string>();
  const asked = useRef(false);

  async function begin(who: Who = {}): Promise<string | undefined> {
    try {
      const begun = await call('pages.begin', { body: { request, ...who } });
      takeStep({ begun, loginName: who.loginName ?? null });
      return undefined;
    } catch (error) {
      if (error instanceof ApiError && error.code === 'request-gone') setGone(troubleOf(error));
      return troubleOf(error);
    }
  }
  function takeStep(next: Kept) {
    setKept(next);
    if (next.begun.redirect === null) pageState.keep(request, next);
    else {
      pageState.forget();
      window.location.replace(next.begun.redirect);
    }
  }
  useEffect(() => {
    // Once: the request may be good for one sign-in only.
    if (asked.current || kept) return;
    asked.current = true;
    void begin().then((trouble) => trouble !== undefined && setGone(trouble));
  });

  if (gone !== undefined)
    return (
      <Hall title={w.problemTitle}>
        <p role="alert">{gone}</p>
      </Hall>
    );
  if (!kept)
    return (
      <Hall title={w.wait}>
        <span aria-busy="true" />
      </Hall>
    );
  const { begun } = kept;
  const title = say(w.signInTo, { application: begun.application });
  if (begun.redirect !== null)
    return (
      <Hall organisation={begun.organisation} title={title}>
        <p role="status">{say(w.goingBack, { application: begun.application })}</p>
        <a href={begun.redirect}>{say(w.goOn, { application: begun.application })}</a>
      </Hall>
    );
  const restart = () => takeStep({ begun: { ...begun, signIn: null, handle: null, person: null }, loginName: null });
  if (begun.signIn === null) return <WhoPage begun={begun} title={title} onWho={begin} />;
  if (begun.signIn.state === 'asking')
    return (
      <Prompt
        key={`${begun.signIn.prompt!.kind} ${begun.signIn.prompt!.methods.join()}`}
        kept={kept}
        title={title}
        request={request}
        onStep={(step) => takeStep({ ...kept, begun: { ...begun, ...step } })}
        onRestart={restart}
      />
    );
  if (isWithout(begun.signIn))
    return (
      <Without
        begun={begun}
        signIn={begun.signIn}
        request={request}
        onBack={(next) => takeStep({ begun: next, loginName: kept.loginName })}
        onGoOn={(redirect) => takeStep({ ...kept, begun: { ...begun, redirect } })}
      >
        <WaysOut begun={begun} onRestart={restart} />
      </Without>
    );
  return <Ended begun={begun} signIn={begun.signIn} onRestart={restart} />;
}

function WhoPage({
  begun,
  title,
  onWho,
}: {
  begun: Begun;
  title: string;
  onWho: (who: Who) => Promise<string | undefined>;
}) {
  return (
    <Hall organisation={begun.organisation} title={title}>
      <WhoForm
        place="application"
        hint={begun.loginHint}
        onName={(loginName) => onWho({ loginName })}
        onKey={(byKey) => onWho({ byKey })}
      />
      <GiveUp begun={begun} />
    </Hall>
  );
}

function Prompt({
  kept: { begun, loginName },
  title,
  request,
  onStep,
  onRestart,
}: {
  kept: Kept;
  title: string;
  request: string;
  onStep: (step: Step) => void;
  onRestart: () => void;
}) {
  const signIn = begun.signIn!;
  const name = loginName ?? begun.person ?? begun.loginHint;
  return (
    <Hall organisation={begun.organisation} title={title}>
      <Row>
        {name !== null && (
          <span>
            {loginName === null && begun.person !== null && !begun.named
              ? say(w.known, { name, application: begun.application })
              : say(w.as, { name })}
          </span>
        )}
        {!begun.named && (
          <Button look="quiet" onPress={onRestart}>
            {w.other}
          </Button>
        )}
      </Row>
      <PagePrompt
        signIn={signIn}
        name={name}
        rememberDays={begun.rememberDays}
        prove={async (proof, remember) => {
          const answer = await call('pages.prove', {
            params: { id: signIn.id },
            body: { request, handle: begun.handle!, remember, ...proof },
          });
          onStep(answer);
          return answer.signIn!;
        }}
      />
      <Row>
        <GiveUp begun={begun} />
        {begun.resets && signIn.prompt!.kind === 'password' && <a href="/reset-password">{w.forgot}</a>}
      </Row>
    </Hall>
  );
}

/** Not let in: why, and where to go now. */
function Ended({
  begun,
  signIn,
  onRestart,
}: {
  begun: Begun;
  signIn: NonNullable<Begun['signIn']>;
  onRestart: () => void;
}) {
  return (
    <Hall organisation={begun.organisation} title={w.refused}>
      <p role="alert">{say(w.ended, { reason: shared.reasons[signIn.reason ?? 'expired'] })}</p>
      <Row>
        <WaysOut begun={begun} onRestart={onRestart} main />
      </Row>
    </Hall>
  );
}

function WaysOut({ begun, onRestart, main = false }: { begun: Begun; onRestart: () => void; main?: boolean }) {
  return (
    <>
      {!begun.named && (
        <Button look={main ? 'main' : 'plain'} onPress={onRestart}>
          {w.again}
        </Button>
      )}
      <GiveUp begun={begun} />
    </>
  );
}

const GiveUp = ({ begun }: { begun: Begun }) => (
  <a href={begun.back}>{say(w.back, { application: begun.application })}</a>
);
