import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { toastEnded } from '../../frame/components/toasts.js';
import { Banner } from '../../frame/components/layout.js';
import { say } from '../../frame/messages/index.js';
import { keyringWords } from './messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { CodeFields } from './prove-totp.js';

const w = keyringWords.keyring;
type Authenticator = Answer<'keyring.show'>['authenticators'][number];
type Carrier = Answer<'keyring.show'>['carriers'][number];

/** Two codes with two boxes: the device is found again over a wide window. */
export function Resync({ one, onClose }: { one: Authenticator; onClose: () => void }) {
  const [codes, setCodes] = useState<string[]>([]);
  const act = useAct<undefined, unknown>(
    () => call('authenticators.resync', { params: { id: one.id }, body: { codes } }),
    onClose,
  );
  return (
    <FormDialog title={say(w.resyncTitle, { label: one.label })} act={act} onClose={onClose} finish={w.resync}>
      <p>{one.method === 'hotp' ? w.resyncCounter : w.resyncClock}</p>
      <CodeFields codes={codes} onChange={setCodes} needed={2} trouble={act.trouble} />
    </FormDialog>
  );
}

/** A code is tried without a sign-in. */
export function TryCode(props: { one: Authenticator; onClose: () => void }) {
  const [astray, setAstray] = useState(false);
  return astray ? <Resync {...props} /> : <TryOnce {...props} onAstray={() => setAstray(true)} />;
}

function TryOnce({
  one,
  onClose,
  onAstray,
}: {
  one: Authenticator;
  onClose: () => void;
  /** It is to be found again by two codes. */
  onAstray: () => void;
}) {
  const [codes, setCodes] = useState<string[]>([]);
  const [outcome, setOutcome] = useState<Answer<'authenticators.test'>['outcome']>();
  const act = useAct<undefined, Answer<'authenticators.test'>>(
    () => call('authenticators.test', { params: { id: one.id }, body: { code: codes[0] ?? '' } }),
    (tried) => {
      setOutcome(tried.outcome);
      setCodes([]);
    },
  );
  return (
    <FormDialog title={say(w.tryTitle, { label: one.label })} act={act} onClose={onClose} finish={w.tryAct}>
      <p>{w.tryHint}</p>
      {outcome && (
        <Banner $tone={outcome === 'right' ? 'good' : 'danger'} role="status">
          {w.tried[outcome]}{' '}
          {outcome === 'far' && (
            <Button calls="authenticators.resync" onPress={onAstray}>
              {w.resync}
            </Button>
          )}
        </Banner>
      )}
      <CodeFields codes={codes} onChange={setCodes} needed={1} trouble={act.trouble} />
    </FormDialog>
  );
}

/** A carrier is lost: what that sets aside, and what is left. */
export function ReportLost({
  carrier,
  on,
  left,
  name,
  onClose,
}: {
  carrier: Carrier;
  on: readonly Authenticator[];
  left: readonly Authenticator[];
  name: string;
  onClose: () => void;
}) {
  const act = useAct<undefined, Answer<'carriers.report'>>(
    () => call('carriers.report', { params: { id: carrier.id }, body: { state: 'lost' } }),
    ({ ended }) => {
      onClose();
      toastEnded(ended);
    },
  );
  const list = (all: readonly Authenticator[]) => all.map((one) => one.label).join(', ');
  return (
    <FormDialog
      title={say(w.lostTitle, { label: carrier.label })}
      act={act}
      onClose={onClose}
      finish={w.lostAct}
      danger
    >
      <p>{on.length > 0 ? say(w.lostText, { list: list(on) }) : w.lostNothing}</p>
      <p>{left.length > 0 ? say(w.leftWith, { name, list: list(left) }) : say(w.leftNothing, { name })}</p>
    </FormDialog>
  );
}
