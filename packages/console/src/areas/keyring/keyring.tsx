import type { Answer } from '@nimble-latch/api';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { styled } from 'styled-components';
import { ActionMenu } from '../../frame/components/action-menu.js';
import { Button } from '../../frame/components/button.js';
import { Banner, Code, Empty, Row, Section, Small, Spread, State } from '../../frame/components/layout.js';
import { say, shared, words } from '../../frame/messages/index.js';
import { keyringWords } from './messages/index.js';
import { stockWords } from '../stock/messages/index.js';
import { call, useAct, useRead } from '../../frame/session/api.js';
import { useMayCall } from '../../frame/session/context.js';
import { colour, space } from '../../frame/theme/tokens.js';
import { AuthenticatorTag, hasEnded, Tag } from './authenticator-tag.js';
import { EditCarrier } from './edit-carrier.js';
import { ProveToken } from '../stock/prove-token.js';
import { ReportLost } from './device-dialogs.js';
import { EnrolKey } from './enrol-key.js';
import { EnrolPhone } from './enrol-phone.js';
import { EnrolTotp } from './enrol-totp.js';
import { RecoveryCodes } from './recovery-codes.js';
import { GiveToken } from './give-token.js';

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
/** Passes stand in a list of their own, with their time. */
const isKept = (one: Authenticator) => one.method !== 'pass';

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
  const mayCall = useMayCall();
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
  const phones = offers.data?.rows.some(({ method, enrol }) => method === 'push' && enrol) === true;
  const setEnrolling = (on: boolean) => setQuery(on ? { enrol: '' } : {}, { replace: true });
  const setKeying = (on: boolean) => setQuery(on ? { key: '' } : {}, { replace: true });
  return (
    <Section aria-labelledby="keyring">
      <Spread>
        <h2 id="keyring">{w.title}</h2>
        {person.state === 'active' && (
          <Row>
            <Button look="main" calls="totp.begin" onPress={() => setEnrolling(true)}>
              {w.enrol}
            </Button>
            <ActionMenu
              label={w.otherKinds}
              about={person.displayName}
              choices={[
                { text: w.enrolKey, calls: 'webauthn.begin', run: () => setKeying(true) },
                phones && { text: w.enrolPhone, calls: 'push.begin', run: () => setPhoning(true) },
                mayCall('stock.list') && {
                  text: stockWords.stock.give,
                  calls: 'tokens.assign',
                  run: () => setGiving(true),
                },
                { text: w.recovery, calls: 'recovery.make', run: () => setRecovering(true) },
              ]}
            />
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
            {ring.carrier?.state === 'lost' && (
              <>
                <State tone="ended">{w.lost}</State>
                <Button look="quiet" calls="carriers.report" onPress={() => found.mutate(ring.carrier!.id)}>
                  {w.found}
                </Button>
              </>
            )}
            {ring.carrier && (
              <ActionMenu
                label={w.carrierMenu}
                about={ring.label}
                choices={[
                  ring.carrier.state === 'in-hand' && {
                    text: w.reportLost,
                    calls: 'carriers.report',
                    run: () => setLosing(ring.carrier),
                  },
                  { text: w.editCarrier, calls: 'carriers.edit', run: () => setEditing(ring.carrier) },
                ]}
              />
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
                  <Button calls="tokens.prove" onPress={() => setProvingToken(token)}>
                    {stockWords.stock.prove}
                  </Button>
                </Row>
              </Spread>
              {mayCall('stock.list') && (
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
