import { LIMITS, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link } from 'react-router';
import { styled } from 'styled-components';
import { ActionMenu } from '../../frame/components/action-menu.js';
import { Button } from '../../frame/components/button.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Row, Small, Spread, State } from '../../frame/components/layout.js';
import { Time } from '../../frame/components/time.js';
import { toastEnded } from '../../frame/components/toasts.js';
import { locale, say, shared } from '../../frame/messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';
import { colour, radius, space } from '../../frame/theme/tokens.js';
import { modelsWords } from '../models/messages/index.js';
import { stockWords } from '../stock/messages/index.js';
import { Rename } from './edit-carrier.js';
import { Resync, TryCode } from './device-dialogs.js';
import { keyringWords } from './messages/index.js';
import { PhoneSeen, PhoneStates, TestPhone } from './phone.js';
import { GivePin, Restrict } from './pin-dialogs.js';
import { ProveTotp } from './prove-totp.js';

type Person = Answer<'people.show'>;
type Authenticator = Answer<'keyring.show'>['authenticators'][number];
const w = keyringWords.keyring;

export const Tag = styled.div`
  display: grid;
  gap: ${space.tight};
  padding: ${space.snug} ${space.base};
  background: ${colour.raised};
  border: 1px solid ${colour.line};
  border-radius: ${radius.panel};
`;

const TONES = {
  pending: 'open',
  active: 'good',
  suspended: 'held',
  parked: 'held',
  revoked: 'ended',
  expired: 'ended',
} as const;
export const hasEnded = (one: Authenticator) => one.state === 'revoked' || one.state === 'expired';

/** What the guard of an authenticator says, or nothing. */
function guardWords(one: Authenticator): string | undefined {
  const lanes = Object.values(one.guard);
  if (lanes.some((lane) => lane.needsUnlock)) return w.needsUnlock;
  const until = lanes
    .flatMap((lane) => lane.pausedUntil ?? [])
    .sort()
    .at(-1);
  if (until && Date.parse(until) > Date.now())
    return say(w.paused, { until: new Date(until).toLocaleTimeString(locale) });
  const failures = Math.max(...lanes.map((lane) => lane.failures));
  return failures > 0 ? say(w.failures, { count: failures }) : undefined;
}

type Opened = 'revoke' | 'prove' | 'resync' | 'try' | 'pin' | 'restrict' | 'rename';

/** What is mostly done with an authenticator as it stands: proved, unlocked, taken up again, or tried. */
function MainAction({
  one,
  guarded,
  open,
  change,
}: {
  one: Authenticator;
  guarded: boolean;
  open: (dialog: Opened) => void;
  change: (verb: 'resume' | 'unlock') => void;
}) {
  const { label: about, state } = one;
  if (state === 'pending' && (one.totp !== null || one.hotp !== null))
    return (
      <Button about={about} calls="totp.prove" onPress={() => open('prove')}>
        {w.prove}
      </Button>
    );
  if (guarded && !hasEnded(one))
    return (
      <Button about={about} calls="authenticators.unlock" onPress={() => change('unlock')}>
        {w.unlock}
      </Button>
    );
  if (state === 'suspended')
    return (
      <Button about={about} calls="authenticators.resume" onPress={() => change('resume')}>
        {w.resume}
      </Button>
    );
  if (state !== 'active') return null;
  if (one.phone) return <TestPhone authenticator={one.id} />;
  if (one.totp === null && one.hotp === null) return null;
  return (
    <Button about={about} calls="authenticators.test" onPress={() => open('try')}>
      {w.tryAct}
    </Button>
  );
}

export function AuthenticatorTag({
  one,
  person,
  all,
}: {
  one: Authenticator;
  person: Person;
  all: readonly Authenticator[];
}) {
  const [open, setOpen] = useState<Opened>();
  const change = useAct(
    (verb: 'suspend' | 'resume' | 'unlock') => call(`authenticators.${verb}`, { params: { id: one.id } }),
    (answer) => toastEnded('ended' in answer ? answer.ended : null),
  );
  const guard = guardWords(one);
  const prefer = useAct((preferred: boolean) =>
    call('authenticators.prefer', { params: { id: one.id }, body: { preferred } }),
  );
  const { totp, hotp } = one;
  const showsCodes = (totp !== null || hotp !== null) && one.state === 'active';
  const kept = one.method !== 'password' && !hasEnded(one);
  const key = one.webauthn;
  const details = [
    key?.model && !one.label.startsWith(key.model) ? key.model : undefined,
    key ? (key.synced ? w.keySynced : w.keyBound) : undefined,
    key?.verified ? w.keyVerified : undefined,
    key?.trust === 'trusted'
      ? modelsWords.keyModels.trusted
      : key?.trust === 'untrusted'
        ? modelsWords.keyModels.untrusted
        : undefined,
    key && one.state === 'active' && one.lastUsedAt === null ? w.keyUnused : undefined,
    hotp
      ? `${hotp.algorithm}, ${say(w.digitsOf, { n: hotp.digits })}, ${say(w.counterAt, { counter: hotp.counter })}`
      : undefined,
    totp
      ? `${totp.algorithm}, ${say(w.digitsOf, { n: totp.digits })}, ${say(w.seconds, { n: totp.period })}`
      : undefined,
    totp && totp.driftSeconds !== 0
      ? say(w.drift, {
          seconds: Math.abs(totp.driftSeconds),
          direction: shared.clock[totp.driftSeconds > 0 ? 'ahead' : 'behind'],
        })
      : undefined,
  ].filter((part) => part !== undefined);
  return (
    <Tag>
      <Spread>
        <Row>
          <strong>{one.method === 'password' ? shared.methods.password : one.label}</strong>
          <State tone={TONES[one.state]}>{w.states[one.state]}</State>
          {guard && <State tone="held">{guard}</State>}
          {key?.copied && <State tone="held">{w.keyCopied}</State>}
          {key?.compromised && <State tone="held">{modelsWords.keyModels.compromised}</State>}
          {one.phone && <PhoneStates phone={one.phone} />}
          {one.recovery && (
            <State tone={one.recovery.left > LIMITS.recoveryCodesFew ? 'good' : 'held'}>
              {say(w.codesLeft, one.recovery)}
            </State>
          )}
          {one.preferred && <State tone="good">{w.preferred}</State>}
          {one.pin !== 'none' && (
            <State tone={one.pin === 'own' ? 'good' : 'open'}>{one.pin === 'own' ? w.pinOwn : w.pinGiven}</State>
          )}
          {one.onlyAt && (
            <State tone="held">
              {say(w.onlyAt, { places: one.onlyAt.map(({ name }) => name).join(', ') || w.nowhere })}
            </State>
          )}
        </Row>
        <Row>
          <MainAction one={one} guarded={guard !== undefined} open={setOpen} change={(verb) => change.mutate(verb)} />
          <ActionMenu
            about={one.method === 'password' ? shared.methods.password : one.label}
            choices={[
              showsCodes && { text: w.resync, calls: 'authenticators.resync', run: () => setOpen('resync') },
              showsCodes &&
                guard !== undefined && { text: w.tryAct, calls: 'authenticators.test', run: () => setOpen('try') },
              showsCodes && {
                text: one.preferred ? w.notPreferred : w.prefer,
                calls: 'authenticators.prefer',
                run: () => prefer.mutate(!one.preferred),
              },
              showsCodes && { text: w.pinAct, calls: 'authenticators.givePin', run: () => setOpen('pin') },
              kept && { text: w.restrictAct, calls: 'authenticators.restrict', run: () => setOpen('restrict') },
              kept && { text: w.rename, calls: 'authenticators.rename', run: () => setOpen('rename') },
              one.state === 'active' && {
                text: w.suspend,
                calls: 'authenticators.suspend',
                run: () => change.mutate('suspend'),
              },
              !hasEnded(one) && {
                text: w.revoke,
                calls: 'authenticators.revoke',
                danger: true,
                run: () => setOpen('revoke'),
              },
            ]}
          />
        </Row>
      </Spread>
      <Small>
        {details.length > 0 && `${details.join(', ')}; `}
        {w.used}: <Time at={one.lastUsedAt} />
        {one.lastUsedIn !== null && `, ${one.lastUsedIn}`}
        {one.phone && <PhoneSeen phone={one.phone} />}
      </Small>
      {change.trouble && <Banner $tone="danger">{change.trouble.text}</Banner>}
      {prefer.trouble && <Banner $tone="danger">{prefer.trouble.text}</Banner>}
      {one.tokenId && (
        <Small>
          <Link to={`/stock/${one.tokenId}`}>{stockWords.stock.ofStock}</Link>
        </Small>
      )}
      {open === 'rename' && <Rename one={one} onClose={() => setOpen(undefined)} />}
      {open === 'pin' && <GivePin one={one} onClose={() => setOpen(undefined)} />}
      {open === 'restrict' && <Restrict one={one} onClose={() => setOpen(undefined)} />}
      {open === 'resync' && <Resync one={one} onClose={() => setOpen(undefined)} />}
      {open === 'try' && <TryCode one={one} onClose={() => setOpen(undefined)} />}
      {open === 'prove' && <ProveTotp authenticator={one} onClose={() => setOpen(undefined)} />}
      {open === 'revoke' && <Revoke one={one} person={person} all={all} onClose={() => setOpen(undefined)} />}
    </Tag>
  );
}

function Revoke({
  one,
  person,
  all,
  onClose,
}: {
  one: Authenticator;
  person: Person;
  all: readonly Authenticator[];
  onClose: () => void;
}) {
  const act = useAct<undefined, Answer<'authenticators.revoke'>>(
    () => call('authenticators.revoke', { params: { id: one.id } }),
    ({ ended }) => {
      onClose();
      toastEnded(ended);
    },
  );
  const left = all.filter((other) => other.id !== one.id && other.state === 'active' && other.method !== 'password');
  const name = person.displayName;
  const [now, then] = [
    useRead('people.meets', { params: { id: person.id } }),
    useRead('people.meets', { params: { id: person.id }, query: { without: one.id } }),
  ];
  const opens = new Set(
    (then.data?.rows ?? []).filter(({ outcome }) => outcome === 'let-in').map(({ application }) => application.id),
  );
  const closed = then.data
    ? (now.data?.rows ?? []).filter(({ outcome, application }) => outcome === 'let-in' && !opens.has(application.id))
    : [];
  const leftText =
    left.length > 0
      ? say(w.leftWith, { name, list: left.map((other) => other.label).join(', ') })
      : say(w.leftNothing, { name });
  return (
    <FormDialog
      title={say(w.revokeTitle, { label: one.label })}
      act={act}
      onClose={onClose}
      finish={w.revokeAct}
      danger
    >
      <p>{say(w.revokeText, { left: leftText })}</p>
      {closed.length > 0 && (
        <Banner $tone="danger">
          {say(w.closes, { list: closed.map(({ application }) => application.name).join(', ') })}
        </Banner>
      )}
    </FormDialog>
  );
}
