import { LIMITS, type Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { styled } from 'styled-components';
import { Button } from '../../frame/components/button.js';
import { FormDialog } from '../../frame/components/form-dialog.js';
import { Banner, Code, Empty, Row, Section, Small, Spread, State } from '../../frame/components/layout.js';
import { Time } from '../../frame/components/time.js';
import { toastEnded } from '../../frame/components/toasts.js';
import { locale, say, shared, words } from '../../frame/messages/index.js';
import { keyringWords } from './messages/index.js';
import { modelsWords } from '../models/messages/index.js';
import { stockWords } from '../stock/messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';
import { useSession } from '../../frame/session/context.js';
import { colour, radius, space } from '../../frame/theme/tokens.js';
import { EditCarrier, Rename } from './edit-carrier.js';
import { ProveToken } from '../stock/prove-token.js';
import { ReportLost, Resync, TryCode } from './device-dialogs.js';
import { GivePin, Restrict } from './pin-dialogs.js';
import { EnrolKey } from './enrol-key.js';
import { EnrolPhone } from './enrol-phone.js';
import { PhoneSeen, PhoneStates, TestPhone } from './phone.js';
import { EnrolTotp } from './enrol-totp.js';
import { RecoveryCodes } from './recovery-codes.js';
import { GiveToken } from './give-token.js';
import { ProveTotp } from './prove-totp.js';

type Person = Answer<'people.show'>;
type CarrierFacts = Answer<'keyring.show'>['carriers'][number];
type Authenticator = Answer<'keyring.show'>['authenticators'][number];
const w = keyringWords.keyring;

/** One carrier, its authenticators hung on it like tags on a ring. */
const Carrier = styled.div`
  border-left: 3px solid ${colour.brass};
  padding-left: ${space.base};
  display: grid;
  gap: ${space.small};
`;
const Tag = styled.div`
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
/** Passes stand in a list of their own, with their time. */
const isKept = (one: Authenticator) => one.method !== 'pass';
const hasEnded = (one: Authenticator) => one.state === 'revoked' || one.state === 'expired';

export function Keyring({ person }: { person: Person }) {
  const { data } = useRead('keyring.show', { params: { id: person.id } });
  const [query, setQuery] = useSearchParams();
  const [showEnded, setShowEnded] = useState(false);
  const [editing, setEditing] = useState<CarrierFacts>();
  const [said, setSaid] = useState<string>();
  const [giving, setGiving] = useState(false);
  const [recovering, setRecovering] = useState(false);
  const [phoning, setPhoning] = useState(false);
  const offers = useRead('people.methods', { params: { id: person.id } });
  const [provingToken, setProvingToken] = useState<Answer<'keyring.show'>['tokens'][number]>();
  const [losing, setLosing] = useState<CarrierFacts>();
  const session = useSession();
  const found = useAct((id: string) => call('carriers.report', { params: { id }, body: { state: 'in-hand' } }));
  if (!data) return <p>{words.loading}</p>;
  const kept = data.authenticators.filter(isKept);
  const shown = kept.filter((one) => showEnded || !hasEnded(one));
  const ended = kept.filter(hasEnded).length;
  const rings = [
    ...data.carriers.map((carrier) => ({ id: carrier.id, label: carrier.label, carrier })),
    { id: null, label: w.noCarrier, carrier: undefined },
  ]
    .map((ring) => ({ ...ring, on: shown.filter((one) => one.carrierId === ring.id) }))
    .filter((ring) => ring.on.length > 0);
  const setEnrolling = (on: boolean) => setQuery(on ? { enrol: '' } : {}, { replace: true });
  const setKeying = (on: boolean) => setQuery(on ? { key: '' } : {}, { replace: true });
  return (
    <Section aria-labelledby="keyring">
      <Spread>
        <h2 id="keyring">{w.title}</h2>
        {person.state === 'active' && (
          <Row>
            {session.permissions.includes('stock.read') && (
              <Button onPress={() => setGiving(true)}>{stockWords.stock.give}</Button>
            )}
            <Button onPress={() => setRecovering(true)}>{w.recovery}</Button>
            {offers.data?.rows.some(({ method, enrol }) => method === 'push' && enrol) && (
              <Button onPress={() => setPhoning(true)}>{w.enrolPhone}</Button>
            )}
            <Button onPress={() => setKeying(true)}>{w.enrolKey}</Button>
            <Button look="main" onPress={() => setEnrolling(true)}>
              {w.enrol}
            </Button>
          </Row>
        )}
      </Spread>
      {said && (
        <Banner $tone="good" role="status">
          {said}
        </Banner>
      )}
      {rings.length === 0 && data.tokens.length === 0 && (
        <Empty title={w.emptyTitle} hint={say(w.emptyHint, { name: person.displayName })} />
      )}
      {rings.map((ring) => (
        <Carrier key={ring.id ?? 'none'}>
          <Row>
            <strong>{ring.label}</strong>
            {ring.carrier?.serial && <Small>{`${w.serial} ${ring.carrier.serial}`}</Small>}
            {ring.carrier && (
              <Button
                look="quiet"
                aria-label={say(w.editCarrierTitle, { label: ring.label })}
                onPress={() => setEditing(ring.carrier)}
              >
                {w.editCarrier}
              </Button>
            )}
            {ring.carrier?.state === 'lost' && (
              <>
                <State tone="ended">{w.lost}</State>
                <Button look="quiet" onPress={() => found.mutate(ring.carrier!.id)}>
                  {w.found}
                </Button>
              </>
            )}
            {ring.carrier?.state === 'in-hand' && (
              <Button
                look="quiet"
                aria-label={say(w.lostTitle, { label: ring.label })}
                onPress={() => setLosing(ring.carrier)}
              >
                {w.reportLost}
              </Button>
            )}
          </Row>
          {ring.on.map((one) => (
            <AuthenticatorTag key={one.id} one={one} person={person} all={data.authenticators} />
          ))}
        </Carrier>
      ))}
      {data.tokens.length > 0 && (
        <Carrier>
          <strong>{w.waiting}</strong>
          {data.tokens.map((token) => (
            <Tag key={token.id}>
              <Spread>
                <Row>
                  <Code>{token.serial}</Code>
                  <State tone="open">{shared.tokenStates[token.state]}</State>
                  {token.model !== '' && <Small>{token.model}</Small>}
                </Row>
                <Row>
                  <Button onPress={() => setProvingToken(token)}>{stockWords.stock.prove}</Button>
                </Row>
              </Spread>
              {session.permissions.includes('stock.read') && (
                <Small>
                  <Link to={`/stock/${token.id}`}>{stockWords.stock.ofStock}</Link>
                </Small>
              )}
            </Tag>
          ))}
        </Carrier>
      )}
      {ended > 0 && !showEnded && (
        <Row>
          <Button look="quiet" onPress={() => setShowEnded(true)}>
            {say(w.ended, { count: ended })}
          </Button>
        </Row>
      )}
      {found.trouble && <Banner $tone="danger">{found.trouble.text}</Banner>}
      {recovering && (
        <RecoveryCodes
          person={person}
          has={kept.some((one) => one.method === 'recovery' && one.state === 'active')}
          onClose={() => setRecovering(false)}
        />
      )}
      {giving && (
        <GiveToken
          person={person}
          onClose={() => setGiving(false)}
          onGiven={(token) => {
            setGiving(false);
            setSaid(say(stockWords.stock.given, { serial: token.serial }));
          }}
        />
      )}
      {query.has('key') && (
        <EnrolKey
          person={person}
          onClose={() => setKeying(false)}
          onProved={(label) => {
            setKeying(false);
            setSaid(say(w.proved, { label }));
          }}
        />
      )}
      {phoning && (
        <EnrolPhone
          person={person}
          onClose={() => setPhoning(false)}
          onProved={(label) => {
            setPhoning(false);
            setSaid(say(w.proved, { label }));
          }}
        />
      )}
      {provingToken && (
        <ProveToken token={provingToken} personId={person.id} onClose={() => setProvingToken(undefined)} />
      )}
      {losing && (
        <ReportLost
          carrier={losing}
          name={person.displayName}
          on={data.authenticators.filter((one) => one.carrierId === losing.id && one.state === 'active')}
          left={data.authenticators.filter(
            (one) => one.carrierId !== losing.id && one.state === 'active' && one.method !== 'password',
          )}
          onClose={() => setLosing(undefined)}
        />
      )}
      {editing && <EditCarrier carrier={editing} onClose={() => setEditing(undefined)} />}
      {query.has('enrol') && (
        <EnrolTotp
          person={person}
          carriers={data.carriers}
          onClose={() => setEnrolling(false)}
          onProved={(label) => {
            setEnrolling(false);
            setSaid(say(w.proved, { label }));
          }}
        />
      )}
    </Section>
  );
}

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

function AuthenticatorTag({ one, person, all }: { one: Authenticator; person: Person; all: readonly Authenticator[] }) {
  const [open, setOpen] = useState<'revoke' | 'prove' | 'resync' | 'try' | 'pin' | 'restrict' | 'rename'>();
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
      ? `${hotp.algorithm}, ${hotp.digits} ${w.digits.toLowerCase()}, ${say(w.counterAt, { counter: hotp.counter })}`
      : undefined,
    totp ? `${totp.algorithm}, ${totp.digits} ${w.digits.toLowerCase()}, ${totp.period} s` : undefined,
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
          {one.method !== 'password' && !hasEnded(one) && (
            <Button
              look="quiet"
              aria-label={say(w.renameTitle, { label: one.label })}
              onPress={() => setOpen('rename')}
            >
              {w.rename}
            </Button>
          )}
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
          {one.state === 'pending' && (one.totp !== null || one.hotp !== null) && (
            <Button onPress={() => setOpen('prove')}>{w.prove}</Button>
          )}
          {one.phone && one.state === 'active' && <TestPhone authenticator={one.id} />}
          {showsCodes && <Button onPress={() => setOpen('try')}>{w.tryAct}</Button>}
          {showsCodes && <Button onPress={() => setOpen('resync')}>{w.resync}</Button>}
          {showsCodes && (
            <Button onPress={() => prefer.mutate(!one.preferred)}>{one.preferred ? w.notPreferred : w.prefer}</Button>
          )}
          {showsCodes && <Button onPress={() => setOpen('pin')}>{w.pinAct}</Button>}
          {one.method !== 'password' && !hasEnded(one) && (
            <Button onPress={() => setOpen('restrict')}>{w.restrictAct}</Button>
          )}
          {guard && !hasEnded(one) && <Button onPress={() => change.mutate('unlock')}>{w.unlock}</Button>}
          {one.state === 'active' && <Button onPress={() => change.mutate('suspend')}>{w.suspend}</Button>}
          {one.state === 'suspended' && <Button onPress={() => change.mutate('resume')}>{w.resume}</Button>}
          {!hasEnded(one) && (
            <Button look="danger" onPress={() => setOpen('revoke')}>
              {w.revoke}
            </Button>
          )}
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
