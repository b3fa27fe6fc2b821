import type { Answer } from '@nimble-latch/api';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { Button } from '../frame/components/button.js';
import { Row } from '../frame/components/layout.js';
import { Trouble } from '../frame/prompts/prompt-form.js';
import type { ByKey } from '../frame/components/passkey.js';
import { call, troubleOf } from './api.js';
import { Hall } from './hall.js';
import { BeginInvited, invitationInAddress, TypeInvitation } from './invitation.js';
import { say, shared, words as w } from './messages/index.js';
import { PagePrompt, WhoForm } from './prompt-form.js';

type Begun = Answer<'own.begin'>;
/** Ends that are no mistake of whoever came. */
const NOT_HERE: readonly Begun['signIn']['reason'][] = ['refused-by-rule', 'prompt-not-carried'];

/** Signs somebody in where people help themselves; then goes on with the right that they proved. */
export function OwnSignIn({
  place,
  title,
  intro,
  notHere,
  again,
  children,
}: {
  place: 'enrolment' | 'password-reset';
  title: string;
  intro: string;
  /** What to do where a rule does not let them. */
  notHere: string;
  /** They are there already, and say once more who they are. */
  again?: {
    readonly loginName: string | null;
    readonly onBack: () => void;
    readonly onRight: (right: string) => void;
  };
  children?: (
    right: string,
    who: { readonly organisation: string | undefined; readonly loginName: string | null },
  ) => ReactNode;
}) {
  const [organisation, setOrganisation] = useState<string>();
  const [begun, setBegun] = useState<Begun & { loginName: string | null }>();
  const [given, setGiven] = useState<{ readonly right: string; readonly loginName: string | null }>();
  const [signedIn, setSignedIn] = useState<string | null>(null);
  const [trouble, setTrouble] = useState<string>();
  const asked = useRef(false);
  const [invited, setInvited] = useState<'by-link' | 'types' | 'no'>(() =>
    place === 'enrolment' && !again && invitationInAddress() !== undefined ? 'by-link' : 'no',
  );
  useEffect(() => {
    call('pages.show').then(
      (shown) => {
        setOrganisation(shown.organisation);
        setSignedIn(shown.person);
      },
      () => undefined,
    );
    // Whoever came by a name goes on with it; once, since each beginning is a sign-in.
    if (asked.current || again?.loginName == null) return;
    asked.current = true;
    void begin({ loginName: again.loginName }).then(setTrouble);
  }, []);
  const take = (right: string | null, loginName: string | null) => {
    if (right === null) return;
    if (again) again.onRight(right);
    else setGiven({ right, loginName });
  };
  async function begin(who: { loginName?: string; byKey?: ByKey; invitation?: string }): Promise<string | undefined> {
    try {
      const answer = await call('own.begin', { body: { place, ...who } });
      setBegun({ ...answer, loginName: who.loginName ?? null });
      take(answer.right, who.loginName ?? null);
      return undefined;
    } catch (error) {
      return troubleOf(error);
    }
  }
  if (given) return children?.(given.right, { organisation, loginName: given.loginName });
  const hall = (what: ReactNode) => (
    <Hall {...(organisation === undefined ? {} : { organisation })} title={title}>
      {what}
      {again && (
        <Button look="quiet" onPress={again.onBack}>
          {w.own.notNow}
        </Button>
      )}
    </Hall>
  );
  const byInvitation = {
    bring: async (invitation: string) => await begin({ invitation }),
    onBack: () => setInvited('no'),
  };
  const inAddress = invitationInAddress();
  if (!begun && invited === 'by-link' && inAddress !== undefined)
    return hall(<BeginInvited invitation={inAddress} {...byInvitation} />);
  if (!begun && invited === 'types') return hall(<TypeInvitation {...byInvitation} />);
  if (!begun)
    return hall(
      <>
        <p>{intro}</p>
        <Trouble text={trouble} />
        {place === 'enrolment' && !again && signedIn !== null && (
          <Button
            onPress={() => {
              call('own.bySession', { body: {} }).then(
                (session) => take(session.right, session.loginName),
                (error: unknown) => setTrouble(troubleOf(error)),
              );
            }}
          >
            {say(w.own.look, { name: signedIn })}
          </Button>
        )}
        <WhoForm
          place={place}
          hint={null}
          onName={(loginName) => begin({ loginName })}
          onKey={(byKey) => begin({ byKey })}
        />
        {place === 'enrolment' && !again && (
          <Button look="quiet" onPress={() => setInvited('types')}>
            {w.invited.have}
          </Button>
        )}
      </>,
    );
  const { signIn, handle, loginName } = begun;
  const restart = () => setBegun(undefined);
  if (signIn.state !== 'asking')
    return hall(
      <>
        <p role="alert">
          {signIn.state === 'enrol-first' || NOT_HERE.includes(signIn.reason)
            ? loginName === null && invited !== 'no'
              ? w.invited.notHere
              : notHere
            : say(w.ended, { reason: shared.reasons[signIn.reason ?? 'expired'] })}
        </p>
        <Row>
          <Button look="main" onPress={restart}>
            {w.again}
          </Button>
        </Row>
      </>,
    );
  return hall(
    <>
      <Row>
        {loginName !== null && <span>{say(w.as, { name: loginName })}</span>}
        {!again && (
          <Button look="quiet" onPress={restart}>
            {w.other}
          </Button>
        )}
      </Row>
      <PagePrompt
        key={`${signIn.prompt!.kind} ${signIn.prompt!.methods.join()}`}
        signIn={signIn}
        name={loginName}
        finish={w.next}
        prove={async (proof) => {
          const answer = await call('own.prove', { params: { id: signIn.id }, body: { handle, ...proof } });
          setBegun({ ...begun, signIn: answer.signIn });
          take(answer.right, loginName);
          return answer.signIn;
        }}
      />
    </>,
  );
}
