import { OTP_ALGORITHMS } from '@nimble-latch/api';
import { Select } from '../../../frame/components/choices.js';
import { say } from '../../../frame/messages/index.js';
import { insightWords } from '../messages/index.js';
import { keyringWords } from '../../keyring/messages/index.js';
import { numbers, Subject, type Settings } from './subject.js';

const w = insightWords.settings;
type Totp = Settings['totp'];

/** Codes of authenticator apps: what new ones are made with, and how far off a clock may be. */
export function CodesPage() {
  return (
    <Subject of="totp" title={w.totp} hint={w.totpHint}>
      {({ value, onChange }) => {
        const set = <K extends keyof Totp>(name: K, next: Totp[K]) => onChange({ ...value, [name]: next });
        return (
          <>
            <Select
              label={w.algorithm}
              value={value.algorithm}
              onChange={(id) => set('algorithm', id as Totp['algorithm'])}
              options={OTP_ALGORITHMS.map((id) => ({ id, text: id }))}
            />
            <Select
              label={w.digits}
              value={String(value.digits)}
              onChange={(id) => set('digits', Number(id) as Totp['digits'])}
              options={numbers([6, 8])}
            />
            <Select
              label={w.period}
              value={String(value.period)}
              onChange={(id) => set('period', Number(id) as Totp['period'])}
              options={[30, 60].map((n) => ({ id: String(n), text: say(keyringWords.keyring.seconds, { n }) }))}
            />
            <Select
              label={w.codesToProve}
              value={String(value.codesToProve)}
              onChange={(id) => set('codesToProve', Number(id) as Totp['codesToProve'])}
              options={[
                { id: '1', text: w.one },
                { id: '2', text: w.two },
              ]}
            />
            <Select
              label={w.window}
              value={String(value.window)}
              onChange={(id) => set('window', Number(id))}
              options={numbers([0, 1, 2, 3, 4, 5])}
            />
          </>
        );
      }}
    </Subject>
  );
}
