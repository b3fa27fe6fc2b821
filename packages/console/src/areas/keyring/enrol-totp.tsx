import type { Answer, Sent } from '@nimble-latch/api';
import { useState } from 'react';
import { Button } from '../../frame/components/button.js';
import { Dialog } from '../../frame/components/dialog.js';
import { Select } from '../../frame/components/choices.js';
import { Form, TextField } from '../../frame/components/text-fields.js';
import { WholeTrouble } from '../../frame/components/whole-trouble.js';
import { Row, ShownCode, Small } from '../../frame/components/layout.js';
import { Qr } from '../../frame/components/qr.js';
import { say, words } from '../../frame/messages/index.js';
import { keyringWords } from './messages/index.js';
import { call, useAct } from '../../frame/session/api.js';
import { GiveUp } from './give-up.js';
import { CodeFields } from './prove-totp.js';

type Person = Answer<'people.show'>;
type Carriers = Answer<'keyring.show'>['carriers'];
const w = keyringWords.keyring;

interface Props {
  person: Person;
  carriers: Carriers;
  onClose: () => void;
  onProved: (label: string) => void;
}

/** Two steps: what and where, then picture, key and first code. */
export function EnrolTotp(props: Props) {
  const [begun, setBegun] = useState<Answer<'totp.begin'>>();
  return (
    <Dialog title={say(w.enrolTitle, { name: props.person.displayName })} onClose={props.onClose}>
      {begun ? <Prove {...props} begun={begun} /> : <Choose {...props} onBegun={setBegun} />}
    </Dialog>
  );
}

function Choose({ person, carriers, onClose, onBegun }: Props & { onBegun: (begun: Answer<'totp.begin'>) => void }) {
  const usable = carriers.filter((carrier) => carrier.state === 'in-hand');
  const [carrier, setCarrier] = useState('new');
  const [phone, setPhone] = useState(`${person.displayName.split(' ')[0]}’s phone`);
  const [serial, setSerial] = useState('');
  const [digits, setDigits] = useState('set');
  const [period, setPeriod] = useState('set');
  const [algorithm, setAlgorithm] = useState('set');
  const act = useAct(() => {
    const body: Sent<'totp.begin', 'body'> = {
      carrier: carrier === 'new' ? { kind: 'phone', label: phone, serial: serial.trim() || null } : { id: carrier },
      ...(digits === 'set' ? {} : { digits: Number(digits) as 6 | 8 }),
      ...(period === 'set' ? {} : { period: Number(period) as 30 | 60 }),
      ...(algorithm === 'set' ? {} : { algorithm: algorithm as 'SHA1' }),
    };
    return call('totp.begin', { params: { id: person.id }, body, idempotencyKey: crypto.randomUUID() });
  }, onBegun);
  const asSet = { id: 'set', text: w.asSet };
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        act.mutate(undefined);
      }}
    >
      <WholeTrouble trouble={act.trouble} />
      <Select
        label={w.carrier}
        value={carrier}
        onChange={setCarrier}
        options={[{ id: 'new', text: w.newPhone }, ...usable.map((one) => ({ id: one.id, text: one.label }))]}
      />
      {carrier === 'new' && (
        <Row>
          <TextField label={w.newCarrier} value={phone} onChange={setPhone} problem={act.trouble?.fields['carrier']} />
          <TextField
            label={w.serial}
            description={w.serialHint}
            value={serial}
            onChange={setSerial}
            problem={act.trouble?.fields['carrier.serial']}
          />
        </Row>
      )}
      <Row>
        <Select
          label={w.digits}
          value={digits}
          onChange={setDigits}
          options={[asSet, { id: '6', text: '6' }, { id: '8', text: '8' }]}
        />
        <Select
          label={w.period}
          value={period}
          onChange={setPeriod}
          options={[asSet, ...[30, 60].map((n) => ({ id: String(n), text: say(w.seconds, { n }) }))]}
        />
        <Select
          label={w.algorithm}
          value={algorithm}
          onChange={setAlgorithm}
          options={[asSet, ...['SHA1', 'SHA256', 'SHA512'].map((id) => ({ id, text: id }))]}
        />
      </Row>
      <Row>
        <Button look="main" type="submit" isPending={act.isPending} autoFocus>
          {w.show}
        </Button>
        <Button onPress={onClose}>{words.act.cancel}</Button>
      </Row>
    </Form>
  );
}

function Prove({ begun, onClose, onProved }: Props & { begun: Answer<'totp.begin'> }) {
  const [codes, setCodes] = useState<string[]>([]);
  const { authenticator } = begun;
  const act = useAct(
    () => call('totp.prove', { params: { id: authenticator.id }, body: { codes } }),
    () => onProved(authenticator.label),
  );
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        act.mutate(undefined);
      }}
    >
      <p>{w.scan}</p>
      <Qr src={`data:image/svg+xml;base64,${btoa(begun.qrSvg)}`} alt={w.qr} />
      <p>{w.orType}</p>
      <ShownCode>{begun.key}</ShownCode>
      <Small>
        {authenticator.totp!.algorithm}, {say(w.digitsOf, { n: authenticator.totp!.digits })},{' '}
        {say(w.seconds, { n: authenticator.totp!.period })}. {w.shownOnce}
      </Small>
      <WholeTrouble trouble={act.trouble} />
      <CodeFields codes={codes} onChange={setCodes} needed={begun.codesNeeded} trouble={act.trouble} />
      <Row>
        <Button look="main" type="submit" isPending={act.isPending}>
          {w.finish}
        </Button>
        <Button onPress={onClose}>{w.later}</Button>
        <GiveUp id={authenticator.id} onGivenUp={onClose} />
      </Row>
    </Form>
  );
}
